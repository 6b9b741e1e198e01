"""Communities as canonical text: standard, extended and large ones (RFC 1997, 4360, 8092)."""

from __future__ import annotations

import ipaddress
import re

__all__ = [
    "BLACKHOLE",
    "GRACEFUL_SHUTDOWN",
    "NO_ADVERTISE",
    "NO_EXPORT",
    "NO_EXPORT_SUBCONFED",
    "WELL_KNOWN",
    "canonical_community",
    "community_matches",
]

GRACEFUL_SHUTDOWN = "graceful-shutdown"  #: RFC 8326
BLACKHOLE = "blackhole"  #: RFC 7999
NO_EXPORT = "no-export"  #: RFC 1997, as the two below
NO_ADVERTISE = "no-advertise"
NO_EXPORT_SUBCONFED = "no-export-subconfed"

#: Well-known communities by their number; the names are the canonical text.
WELL_KNOWN = {
    "65535:0": GRACEFUL_SHUTDOWN,
    "65535:666": BLACKHOLE,
    "65535:65281": NO_EXPORT,
    "65535:65282": NO_ADVERTISE,
    "65535:65283": NO_EXPORT_SUBCONFED,
}

_EXTENDED = ("target", "origin")  #: route target and route origin (RFC 4360 4, 5)


def canonical_community(text: str, *, pattern: bool = False) -> str | None:
    """The one spelling of a community; None where the text is none.

    Args:
        text: "64500:100", "64500:1:2", "target 64500:100", or a well-known name.
        pattern: Whether a part may be *, which stands for any number.
    """
    if text in WELL_KNOWN.values():
        return text
    kind, space, rest = text.rpartition(" ")
    parts = rest.split(":")
    if (space and kind not in _EXTENDED) or len(parts) not in ((2,) if space else (2, 3)):
        return None
    limits: tuple[int, ...]
    if space:
        limits = _extended_limits(parts)
    else:
        limits = (2**16,) * 2 if len(parts) == 2 else (2**32,) * 3
    found = []
    for part, limit in zip(parts, limits, strict=True):
        if pattern and part == "*":
            found.append(part)
        elif re.fullmatch(r"[0-9]{1,10}", part) and int(part) < limit:
            found.append(str(int(part)))
        elif space and len(found) == 0 and _is_ipv4(part):
            found.append(part)
        else:
            return None
    plain = ":".join(found)
    return f"{kind} {plain}" if space else WELL_KNOWN.get(plain, plain)


def _extended_limits(parts: list[str]) -> tuple[int, int]:
    """Eight bytes hold two of type, then 2 + 4, 4 + 2, or an IPv4 address + 2."""
    first = parts[0]
    if first.isdecimal() and int(first) < 2**16:
        return 2**16, 2**32
    return 2**32, 2**16


def _is_ipv4(text: str) -> bool:
    try:
        ipaddress.IPv4Address(text)
    except ValueError:
        return False
    return True


def community_matches(pattern: str, community: str) -> bool:
    """Whether a community fits a pattern of the same kind."""
    if "*" not in pattern:
        return pattern == community
    numbers = {name: number for number, name in WELL_KNOWN.items()}
    asked, own = pattern.split(":"), numbers.get(community, community).split(":")
    kinds = [parts[0].rpartition(" ")[0] for parts in (asked, own)]
    if kinds[0] != kinds[1] or len(asked) != len(own):
        return False
    asked[0], own[0] = (parts[0].rpartition(" ")[2] for parts in (asked, own))
    return all(want in ("*", have) for want, have in zip(asked, own, strict=True))
