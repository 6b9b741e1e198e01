"""Errands of people, in a browser."""
