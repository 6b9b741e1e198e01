"""Configuration and state as JSON of YANG models (RFC 7951)."""
