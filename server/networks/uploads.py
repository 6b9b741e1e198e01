"""Uploaded files to paths and bytes: plain files, folders and zip archives, within limits."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import PurePosixPath

__all__ = ["MAXIMUM_BYTES", "MAXIMUM_FILES", "Unpacked", "UploadRefused", "unpack"]

MAXIMUM_FILES = 20_000
MAXIMUM_BYTES = 256 * 1024 * 1024  #: unpacked, all together
_SUFFIXES = (".yaml", ".yml")


class UploadRefused(Exception):
    """The upload cannot be taken at all; the message says why and what to do."""

    code = "upload_refused"


@dataclass
class Unpacked:
    """Files by their path, and the paths that were left out because they are no device files."""

    files: dict[str, bytes] = field(default_factory=dict)
    skipped: list[str] = field(default_factory=list)


def unpack(uploads: Iterable[tuple[str, bytes]]) -> Unpacked:
    """Collect device files from uploads; archives are opened.

    A folder that all files share at the top is left out of their paths, so that a dropped folder
    and a zip of it give the same network as the files alone.

    Raises:
        UploadRefused: a broken or encrypted archive, a path that leads out of the folder, two
            files of one name, too much, or nothing to read.
    """
    entries: list[tuple[str, bytes]] = []
    total = 0
    for name, content in uploads:
        members = _archive(name, content) if name.lower().endswith(".zip") else [(name, content)]
        for path, data in members:
            total += len(data)
            if total > MAXIMUM_BYTES or len(entries) >= MAXIMUM_FILES:
                raise UploadRefused(
                    f"more than {MAXIMUM_FILES} files or {MAXIMUM_BYTES // 2**20} MiB; "
                    "import a smaller network"
                )
            entries.append((_clean(path), data))
    result = Unpacked()
    for path, data in _without_common_folder(entries):
        hidden = any(part.startswith((".", "__MACOSX")) for part in path.split("/"))
        if hidden or not path.lower().endswith(_SUFFIXES):
            result.skipped.append(path)
        elif path in result.files:
            raise UploadRefused(f"{path} is there twice; rename one of the two")
        else:
            result.files[path] = data
    if not result.files:
        raise UploadRefused("no device file (*.yaml) among the uploads; choose a network's folder")
    return result


def _archive(name: str, content: bytes) -> Iterable[tuple[str, bytes]]:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            members = [info for info in archive.infolist() if not info.is_dir()]
            # The sizes an archive states may lie; reading stops at the stated size all the same.
            if len(members) > MAXIMUM_FILES or sum(m.file_size for m in members) > MAXIMUM_BYTES:
                raise UploadRefused(f"{name} unpacks to too much; import a smaller network")
            if any(info.flag_bits & 1 for info in members):
                raise UploadRefused(f"{name} is encrypted; zip the folder without a password")
            return [(info.filename, archive.read(info)) for info in members]
    except (zipfile.BadZipFile, EOFError, NotImplementedError, ValueError, OSError) as error:
        raise UploadRefused(
            f"{name} is not a readable zip archive ({error}); zip it again"
        ) from error


def _clean(path: str) -> str:
    pure = PurePosixPath(path.replace("\\", "/"))
    if pure.is_absolute() or ".." in pure.parts or not pure.parts or "\x00" in path:
        raise UploadRefused(f"the path {path!r} leads out of the network's folder")
    cleaned = pure.as_posix()
    if len(cleaned) > 400:
        raise UploadRefused(f"the path {cleaned[:60]}… is too long")
    return cleaned


def _without_common_folder(entries: list[tuple[str, bytes]]) -> list[tuple[str, bytes]]:
    device_files = [path for path, _ in entries if path.lower().endswith(_SUFFIXES)]
    tops = {path.split("/")[0] for path in device_files}
    nested = all("/" in path for path in device_files)
    folder = tops.pop() if len(tops) == 1 and nested else None
    # devices/ and cases/ are folders inside a network, not around one.
    if folder is None or folder in ("devices", "cases"):
        return entries
    return [(path.removeprefix(f"{folder}/"), data) for path, data in entries]
