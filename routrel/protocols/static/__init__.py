"""Static routes and gateways, resolved through the tables."""
