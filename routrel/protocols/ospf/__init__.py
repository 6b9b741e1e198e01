"""OSPF version 2 (RFC 2328): adjacencies, the link-state database, shortest paths, routes."""
