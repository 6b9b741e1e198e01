"""The engine's tests; the folders are those of the package."""
