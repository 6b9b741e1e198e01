"""When a flow went which way, and what changed that."""
