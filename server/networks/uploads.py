"""Uploaded files to paths and bytes: plain files, folders and zip archives, within limits.

What is in them is read when it is asked for, so that an upload is never in memory as a whole.
"""

from __future__ import annotations

import lzma
import zipfile
import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import IO

from routrel.files.reader import is_network_file
from routrel.formats.importing import is_bundle_file, is_foreign
from routrel.formats.mrt.records import looks_like_mrt

__all__ = ["MAXIMUM_BYTES", "MAXIMUM_FILES", "Unpacked", "UploadRefused", "unpack"]

MAXIMUM_FILES = 20_000
MAXIMUM_BYTES = 256 * 1024 * 1024  #: unpacked, all together
_MOST_SKIPPED = 200
_BROKEN = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError, ValueError,
    OSError, RuntimeError,
)  # fmt: skip


class UploadRefused(Exception):
    """The upload cannot be taken at all; the message says why and what to do."""

    code = "upload_refused"


@dataclass
class Unpacked:
    """Files by their path, each read by calling it; and what was left out, being of no format."""

    files: dict[str, Callable[[], bytes]] = field(default_factory=dict)
    skipped: list[str] = field(default_factory=list)


@dataclass
class _Entry:
    path: str
    size: int
    read: Callable[[], bytes]


def unpack(uploads: Iterable[tuple[str, IO[bytes]]]) -> Unpacked:
    """Collect files of networks from uploads, of whatever format; archives are opened.

    A folder that all files share at the top is left out of their paths, so that a dropped folder
    and a zip of it give the same network as the files alone. The uploads stay open for as long as
    the files are read.

    Raises:
        UploadRefused: a broken or encrypted archive, a path that leads out of the folder, two
            files of one name, too much, or nothing to read. Reading a file raises it too, where
            an archive is broken only there.
    """
    entries: list[_Entry] = []
    total = 0
    for name, upload in uploads:
        members = _archive(name, upload) if name.lower().endswith(".zip") else [_file(name, upload)]
        total += sum(member.size for member in members)
        entries += members
        if total > MAXIMUM_BYTES or len(entries) > MAXIMUM_FILES:
            raise UploadRefused(
                f"more than {MAXIMUM_FILES} files or {MAXIMUM_BYTES // 2**20} MiB; "
                "import a smaller network"
            )
    result = Unpacked()
    skipped = 0
    for entry in _without_common_folder(entries):
        hidden = any(part.startswith((".", "__MACOSX")) for part in entry.path.split("/"))
        if hidden or not _is_taken(entry):
            skipped += 1
            if skipped <= _MOST_SKIPPED:
                result.skipped.append(entry.path)
        elif entry.path in result.files:
            raise UploadRefused(f"{entry.path} is there twice; rename one of the two")
        else:
            result.files[entry.path] = entry.read
    if skipped > _MOST_SKIPPED:
        result.skipped.append(f"and {skipped - _MOST_SKIPPED} more")
    if not result.files:
        raise UploadRefused(
            "no device file (*.yaml) and no file of another known format among the uploads; "
            "choose a network's folder"
        )
    return result


def _is_taken(entry: _Entry) -> bool:
    """Whether a file is one that imports read: by its name, or by how it begins."""
    if is_network_file(entry.path) or is_foreign(entry.path):
        return True
    return "." not in PurePosixPath(entry.path).name and looks_like_mrt(entry.read()[:16])


def _file(name: str, upload: IO[bytes]) -> _Entry:
    size = upload.seek(0, 2)

    def read() -> bytes:
        upload.seek(0)
        return upload.read()

    return _Entry(_clean(name), size, read)


def _archive(name: str, upload: IO[bytes]) -> list[_Entry]:
    try:
        archive = zipfile.ZipFile(upload)
        members = [info for info in archive.infolist() if not info.is_dir()]
    except _BROKEN as error:
        raise _unreadable(name, error) from error
    # The sizes an archive states may lie; reading stops at the stated size all the same.
    if len(members) > MAXIMUM_FILES or sum(m.file_size for m in members) > MAXIMUM_BYTES:
        raise UploadRefused(f"{name} unpacks to too much; import a smaller network")
    if any(info.flag_bits & 1 for info in members):
        raise UploadRefused(f"{name} is encrypted; zip the folder without a password")

    def reader(info: zipfile.ZipInfo) -> Callable[[], bytes]:
        def read() -> bytes:
            try:
                return archive.read(info)
            except _BROKEN as error:
                raise _unreadable(f"{info.filename} in {name}", error) from error

        return read

    return [_Entry(_clean(info.filename), info.file_size, reader(info)) for info in members]


def _unreadable(name: str, error: Exception) -> UploadRefused:
    return UploadRefused(f"{name} is not readable as zip ({error}); zip it again")


def _clean(path: str) -> str:
    pure = PurePosixPath(path.replace("\\", "/"))
    if pure.is_absolute() or ".." in pure.parts or not pure.parts or "\x00" in path:
        raise UploadRefused(f"the path {path[:60]!r} leads out of the network's folder")
    cleaned = pure.as_posix()
    if len(cleaned) > 400:
        raise UploadRefused(f"the path {cleaned[:60]}… is too long")
    if not cleaned.isprintable():
        raise UploadRefused(f"the path {cleaned[:60]!r} holds characters that no path has")
    return cleaned


def _without_common_folder(entries: list[_Entry]) -> list[_Entry]:
    device_files = [e.path for e in entries if is_network_file(e.path) or is_foreign(e.path)]
    tops = {path.split("/")[0] for path in device_files}
    nested = all("/" in path for path in device_files)
    folder = tops.pop() if len(tops) == 1 and nested else None
    # devices/ and cases/ are folders inside a network, not around one; a bundle's names its host.
    bundle = any(is_bundle_file(path) and path.count("/") == 1 for path in device_files)
    if folder is None or folder in ("devices", "cases") or bundle:
        return entries
    return [_Entry(e.path.removeprefix(f"{folder}/"), e.size, e.read) for e in entries]
