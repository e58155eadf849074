"""A project as a folder of text files, and its states over time."""
