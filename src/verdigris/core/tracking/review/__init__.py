"""What a finished track says: which motion is enough, and where the region does not move with the plane."""
