"""Setting up and running Routrel with the standard library alone: nothing is installed yet."""
