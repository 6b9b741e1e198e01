"""EIGRP (RFC 7868): neighbours, vector metrics, and the tables when nothing is active any more."""
