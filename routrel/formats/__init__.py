"""Formats of others, read and written: open standards, and what Linux says of itself."""
