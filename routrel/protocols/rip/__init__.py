"""RIP version 2 (RFC 2453) and RIPng (RFC 2080)."""
