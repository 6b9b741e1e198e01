"""Lenses: failures and changes."""
