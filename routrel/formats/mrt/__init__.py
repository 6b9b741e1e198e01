"""Dumps of BGP tables and messages: MRT (RFC 6396, RFC 6397, RFC 8050)."""
