"""Links, segments and neighbours."""
