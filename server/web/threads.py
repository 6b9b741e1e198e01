"""How many threads a web process has, and how many of them may wait for answers."""

__all__ = ["THREADS", "WAITING_OF_ONE", "WAITING_THREADS"]

THREADS = 64
WAITING_THREADS = 56
WAITING_OF_ONE = 40
