"""Open formats, one file each, with a reader and a writer."""
