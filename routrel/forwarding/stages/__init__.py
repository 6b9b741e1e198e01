"""The stages of a device: what each does, what it decides by, and the cause it gives."""
