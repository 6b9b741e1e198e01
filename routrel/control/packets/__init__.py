"""What control needs to know about packets: whether those of a session arrive."""
