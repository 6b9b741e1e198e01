"""What of a network is unwell over a span of time."""
