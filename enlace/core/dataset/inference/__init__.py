"""What Enlace chooses by itself for a table: labels, kinds, widths, lists and what they show."""
