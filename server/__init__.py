"""The web server: accounts, networks, revisions, imports and the API. It computes no route."""
