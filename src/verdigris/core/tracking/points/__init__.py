"""Single points, and the planes that they drive."""
