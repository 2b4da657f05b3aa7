"""What a shot's document means at a frame: artwork, what is in front, regions, mending, held still."""
