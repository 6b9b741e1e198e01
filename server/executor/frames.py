"""What the executor and those who talk to it send each other: a head in JSON, and a body.

Two lengths of four bytes each stand in front, in network order.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from typing import Any, TypeAlias

__all__ = ["LENGTHS", "Frame", "packed", "read_frame", "sizes"]

#: Head and body.
Frame: TypeAlias = tuple[dict[str, Any], bytes]

LENGTHS = struct.Struct("!II")
_MOST_BYTES = 1 << 30


def packed(head: dict[str, Any], body: bytes = b"") -> bytes:
    """A frame as it is sent."""
    data = json.dumps(head).encode()
    return LENGTHS.pack(len(data), len(body)) + data + body


def sizes(lengths: bytes) -> tuple[int, int]:
    """The lengths of head and body.

    Raises:
        ValueError: nobody sends that much.
    """
    head, body = LENGTHS.unpack(lengths)
    if head + body > _MOST_BYTES:
        raise ValueError(f"a frame of {head + body} bytes")
    return head, body


def read_frame(read: Callable[[int], bytes]) -> Frame | None:
    """The next frame of a blocking reader; None at the end.

    Args:
        read: Gives so many bytes, fewer only at the end.
    """
    lengths = read(LENGTHS.size)
    if len(lengths) < LENGTHS.size:
        return None
    head, body = sizes(lengths)
    data = read(head + body)
    if len(data) < head + body:
        return None
    return json.loads(data[:head]), data[head:]
