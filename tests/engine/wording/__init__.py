"""The sentences people read."""
