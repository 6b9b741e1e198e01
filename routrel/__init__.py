"""Routrel's engine: a network as a value, its computed routes, and answers with evidence.

Layers, each importing only from those before it: model, files, topology, control, forwarding,
questions, lens, cli. Nothing here knows of the web server.
"""

__version__ = "0.1.0"
