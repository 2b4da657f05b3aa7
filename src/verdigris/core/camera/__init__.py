"""How a plane gets into the picture: lens, row read-out, shutter, and a surface that is bowed."""
