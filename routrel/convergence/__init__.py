"""From a network to its tables: all protocols and the selection, until nothing changes."""
