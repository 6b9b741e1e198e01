"""The routing information base: candidates of all protocols, and the selection among them."""
