"""Each protocol on hand-worked nets."""
