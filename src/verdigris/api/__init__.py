"""The web API: thin, typed, no computation."""
