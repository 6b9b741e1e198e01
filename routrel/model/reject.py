"""What a device tells the sender of a packet that it refuses."""

from __future__ import annotations

from enum import Enum

__all__ = ["Reject"]


class Reject(Enum):
    """What the sender of a refused packet is told; for forwarding both discard."""

    UNREACHABLE = "unreachable"
    PROHIBITED = "prohibited"
