"""Links and segments: who is whose neighbour, and what looks wrong about it."""
