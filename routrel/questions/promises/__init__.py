"""Promises: whether what must hold of a network does, and what that rests on."""
