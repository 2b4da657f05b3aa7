"""Compose frames and hand them over."""
