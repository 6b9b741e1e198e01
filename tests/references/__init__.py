"""Slow, plain computations of the same things, written apart from the engine; tests hold it to them."""
