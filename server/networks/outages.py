"""What is said while something that the service rests on is away: status, code, words, advice."""

from __future__ import annotations

__all__ = ["DATABASE_AWAY", "DISK_FULL"]

DATABASE_AWAY = (
    503,
    "database_unavailable",
    "the database does not answer",
    "try again in a few seconds; it is started again by itself",
)
DISK_FULL = (
    503,
    "disk_full",
    "the server's disk is full; nothing was kept",
    "have its operator free some space, then try again",
)
