"""One frame of result from plate, artwork, geometry and matte, in linear light."""
