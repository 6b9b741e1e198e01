"""The HTTP API; its OpenAPI description is served at /api/schema."""
