"""The shot document, part by part."""
