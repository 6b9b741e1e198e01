"""The server's tests, on PostgreSQL."""
