"""Routes: what each protocol offers, which of them win, and why."""
