"""Two states side by side: all that is not the same in them, and why."""
