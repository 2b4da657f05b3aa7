"""What the plane looks like where it was outlined: its appearance, features, repetition, and edges."""
