"""Decoding and encoding of films and stills; nothing here trusts what a file says of itself."""
