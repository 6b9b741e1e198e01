"""The records of an MRT file in their order, from plain, gzip or bzip2 bytes (RFC 6396 2, 3)."""

from __future__ import annotations

import bz2
import gzip
import struct
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import BinaryIO

__all__ = ["BGP4MP", "BGP4MP_ET", "TABLE_DUMP", "TABLE_DUMP_V2", "Reader", "looks_like_mrt"]

TABLE_DUMP, TABLE_DUMP_V2, BGP4MP, BGP4MP_ET = 12, 13, 16, 17
#: Types whose records begin with microseconds (RFC 6396 3).
_EXTENDED = frozenset((BGP4MP_ET, 33, 49))
_KNOWN = frozenset((11, TABLE_DUMP, TABLE_DUMP_V2, BGP4MP, BGP4MP_ET, 32, 33, 48, 49))
_HEADER = struct.Struct("!IHHI")
#: Bytes that a record may have; no table's record is near it.
MAXIMUM_RECORD = 16 * 1024 * 1024
_CHUNK = 1 << 20
_GZIP, _BZIP2 = b"\x1f\x8b", b"BZh"


def looks_like_mrt(beginning: bytes) -> bool:
    """Whether bytes begin a record of a type that is known, or a compressed file."""
    if beginning.startswith((_GZIP, _BZIP2)):
        return True
    if len(beginning) < _HEADER.size:
        return False
    _, kind, subtype, length = _HEADER.unpack_from(beginning)
    return kind in _KNOWN and subtype <= 12 and 0 < length <= MAXIMUM_RECORD


def _opened(stream: BinaryIO) -> BinaryIO:
    """The bytes of a file, unpacked where they are packed; of several members all."""
    beginning = stream.read(3)
    stream.seek(0)
    if beginning.startswith(_GZIP):
        return gzip.GzipFile(fileobj=stream)  # type: ignore[return-value]
    if beginning.startswith(_BZIP2):
        return bz2.BZ2File(stream)  # type: ignore[return-value]
    return stream


@dataclass(slots=True)
class Reader:
    """Reads records in order, in bounded memory.

    Attributes:
        problems: What could not be read, with the offset in the unpacked bytes.
        skipped: How many records were passed over, by type and subtype.
    """

    stream: BinaryIO
    on_bytes: Callable[[int], None] | None = None  #: called with the offset; may raise to cancel
    problems: list[tuple[int, str]] = field(default_factory=list)
    skipped: dict[tuple[int, int], int] = field(default_factory=dict)
    count: int = 0
    seconds: int = 0  #: of the record at hand, since 1970
    micros: int = 0  #: of the record at hand, behind its second; 0 where they are not told

    def problem(self, offset: int, text: str) -> None:
        """Keep what could not be read; of very many the first."""
        if len(self.problems) < 100:
            self.problems.append((offset, text))

    def skip(self, kind: int, subtype: int) -> None:
        """Count a record that is passed over."""
        self.skipped[kind, subtype] = self.skipped.get((kind, subtype), 0) + 1

    def __iter__(self) -> Iterator[tuple[int, int, int, bytes, int]]:
        """Seconds, type, subtype, body and offset of each record.

        The microseconds of extended records are taken off their bodies.
        """
        source = _opened(self.stream)
        held, at, offset = b"", 0, 0
        size = _HEADER.size
        ended = False
        while True:
            if len(held) - at < size and not ended:
                held, ended = self._more(source, held[at:], size, offset)
                at = 0
            if len(held) - at < size:
                if len(held) - at:
                    self.problem(offset, f"ends inside a header of {size} bytes")
                return
            seconds, kind, subtype, length = _HEADER.unpack_from(held, at)
            if length > MAXIMUM_RECORD:
                self.problem(offset, f"a record says it has {length} bytes; the rest is left out")
                return
            whole = size + length
            if len(held) - at < whole and not ended:
                held, ended = self._more(source, held[at:], whole, offset)
                at = 0
            if len(held) - at < whole:
                text = f"a record of {length} bytes ends after {len(held) - at - size}"
                self.problem(offset, text)
                return
            body = held[at + size : at + whole]
            self.count += 1
            self.seconds, self.micros = seconds, 0
            if kind in _EXTENDED:
                if length < 4:
                    self.problem(offset, "an extended record without its microseconds")
                    body = b""
                else:
                    self.micros = min(int.from_bytes(body[:4]), 999_999)
                    body = body[4:]
            yield seconds, kind, subtype, body, offset
            at += whole
            offset += whole

    def _more(self, source: BinaryIO, held: bytes, wanted: int, offset: int) -> tuple[bytes, bool]:
        """What is held with more behind it, and whether that is all there is."""
        if self.on_bytes:
            self.on_bytes(offset)
        parts, have = [held], len(held)
        while have < wanted:
            try:
                chunk = source.read(max(_CHUNK, wanted - have))
            except (OSError, EOFError, zlib.error) as error:
                self.problem(offset, f"the file cannot be unpacked beyond here: {error}")
                return b"".join(parts), True
            if not chunk:
                return b"".join(parts), True
            parts.append(chunk)
            have += len(chunk)
        return b"".join(parts), False
