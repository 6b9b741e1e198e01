"""The language: reading, refusing, writing and patching."""
