"""The launcher: standard library only, because it runs before anything is installed."""
