"""The device-file language: reading with positions, writing, and the JSON Schema."""
