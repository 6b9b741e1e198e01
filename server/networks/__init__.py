"""Networks with their members, revisions and imports, and the API that serves them."""
