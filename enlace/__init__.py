"""Enlace: wiring data-entry applications to databases that already exist."""
