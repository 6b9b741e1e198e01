"""What becomes of traffic: both directions of a flow, and everything that stands in its way."""
