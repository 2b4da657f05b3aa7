"""What is kept: rows in PostgreSQL, media by content hash in a folder."""
