"""Code values and light: transfer curves, YUV planes, and what the plate's numbers mean."""
