"""Tests: engine (no database), server (real PostgreSQL), browser (Selenium on the built app)."""
