"""Mattes: what is in front, as coverage of pixels."""
