"""BGP (RFC 4271) with its extensions: sessions, what spreads over them, and the decision."""
