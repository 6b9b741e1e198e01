"""Routes to the networks and addresses of interfaces that are up."""
