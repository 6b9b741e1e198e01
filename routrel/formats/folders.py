"""Files to be imported, from folders, zip files and single files."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable
from pathlib import Path

from routrel.files.reader import UnusableInput, is_network_file, load_texts
from routrel.files.report import Report
from routrel.formats.importing import import_files, is_foreign, tell_problems
from routrel.formats.reports import ImportReport

__all__ = ["gathered", "mixed_texts"]

#: How many files are looked at, and how many bytes they may have in all.
MAXIMUM_FILES = 50_000
MAXIMUM_BYTES = 8 * 1024**3
#: How often a zip file's content may be as large as the file itself.
_MOST_INFLATED = 200


def gathered(sources: Iterable[Path]) -> tuple[dict[str, bytes], str]:
    """The contents of files by path, and what their folder is called.

    Raises:
        UnusableInput: something is not there, cannot be read, or is far too large.
    """
    found: dict[str, bytes] = {}
    listed = list(sources)
    for source in listed:
        inner = _contents(source)
        prefix = "" if len(listed) == 1 and not source.is_file() else _prefix(source)
        for path, content in inner.items():
            name = f"{prefix}{path}"
            if name in found:
                raise UnusableInput(f"{name} is given twice")
            found[name] = content
    if not found:
        raise UnusableInput("there is nothing to read")
    name = listed[0].resolve().name.removesuffix(".zip") if len(listed) == 1 else ""
    return found, name


def _prefix(source: Path) -> str:
    return f"{source.resolve().name}/" if source.is_dir() else ""


def _contents(source: Path) -> dict[str, bytes]:
    try:
        if source.is_dir():
            return _folder(source)
        if source.suffix.lower() == ".zip":
            return _zip(source)
        return {source.name: source.read_bytes()}
    except OSError as error:
        raise UnusableInput(f"{source} cannot be read: {error.strerror}") from error
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError) as error:
        raise UnusableInput(f"{source} is no zip file that can be read: {error}") from error


def _folder(folder: Path) -> dict[str, bytes]:
    found: dict[str, bytes] = {}
    size = 0
    for path in sorted(folder.rglob("*")):
        relative = path.relative_to(folder)
        if any(part.startswith(".") for part in relative.parts) or not path.is_file():
            continue
        size += path.stat().st_size
        _check_size(folder, len(found), size)
        found[relative.as_posix()] = path.read_bytes()
    return found


def _zip(file: Path) -> dict[str, bytes]:
    found: dict[str, bytes] = {}
    with zipfile.ZipFile(file) as archive:
        size = 0
        for info in sorted(archive.infolist(), key=lambda one: one.filename):
            name = info.filename.replace("\\", "/")
            parts = name.split("/")
            if name.startswith("/") or ".." in parts:
                raise UnusableInput(f"{file} holds a path that leads out of it: {name}")
            if info.is_dir() or any(part.startswith(".") for part in parts if part):
                continue
            size += info.file_size
            if size > _MOST_INFLATED * max(file.stat().st_size, 1_000_000):
                raise UnusableInput(f"{file} unpacks to far more than it is")
            _check_size(file, len(found), size)
            found[name] = archive.read(info)
    return found


def _check_size(where: Path, count: int, size: int) -> None:
    if count >= MAXIMUM_FILES:
        raise UnusableInput(f"{where} holds more than {MAXIMUM_FILES} files")
    if size > MAXIMUM_BYTES:
        raise UnusableInput(f"{where} holds more than 8 GiB")


def mixed_texts(folder: Path) -> tuple[dict[str, str], Report, ImportReport | None]:
    """The texts of a folder's network, of whatever formats its files are.

    Files of other formats are read as `routrel import` writes them; without any, the folder is read
    as it stands.

    Returns:
        The texts, what cannot be read, and what became of files of other formats.
    Raises:
        UnusableInput: as `load_texts`.
    """
    try:
        foreign = folder.is_dir() and any(is_foreign(path.name) for path in folder.rglob("*"))
    except OSError as error:
        raise UnusableInput(f"{folder} cannot be read: {error.strerror}") from error
    if not foreign:
        return (*load_texts(folder), None)
    contents = {
        path: content
        for path, content in _folder(folder).items()
        if is_foreign(path) or is_network_file(path)
    }
    made = import_files(contents, folder.resolve().name, validate=False)
    report = Report()
    tell_problems(made, report)
    return made.texts, report, made.report
