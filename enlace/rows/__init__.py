"""The rows of a grid as HTML, for the desk and for the workshop's previews."""
