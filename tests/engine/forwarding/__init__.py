"""What becomes of packets."""
