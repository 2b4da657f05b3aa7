"""Following a plane: features predict, intensities refine, residuals say how sure it is."""
