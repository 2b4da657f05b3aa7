"""The command line: the same core and the same document as the application."""
