"""The `routrel` command: the engine without the web, a module a command."""
