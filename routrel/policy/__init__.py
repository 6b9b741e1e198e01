"""Routing policy: what becomes of a route that passes one (RFC 9067)."""
