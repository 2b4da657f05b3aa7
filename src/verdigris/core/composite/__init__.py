"""One frame of result from plate and layers, far to near, in linear light.

A fixed order of stages: `texture` (artwork reduced by area), `warp` (where the surface is, at every moment the shutter is open),
`coverage` (how much of each pixel an edge leaves), `unmix` (old surface out, new one in), `front_edge` (the old surface out of the edge
of what stands before it), `stack` (layers over each other).
"""
