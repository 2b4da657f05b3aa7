"""Rules that the core and the web client share."""
