"""Files in open formats, as readings."""
