"""Data that comes and goes in open formats: one file a format."""
