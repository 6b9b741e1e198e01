"""IS-IS for IP (ISO 10589, RFC 1195, RFC 5305, RFC 5308): adjacencies, levels, routes."""
