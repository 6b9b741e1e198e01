"""Failure sweeps: what every single failure, or pair of them, does to what is promised."""
