"""A small network to begin with: the one that the description of the language shows."""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path

__all__ = ["example_files", "example_zip"]

_REFERENCE = Path(__file__).resolve().parents[2] / "docs" / "device-file.md"
_HEADING = "## A whole network\n"
#: The first key of a file that says what it is of, and the folder of such files.
_KINDS = {"network": "", "device": "devices/", "case": "cases/"}


def example_files() -> dict[str, str]:
    """The files by path, as the reference has them."""
    section = _REFERENCE.read_text().split(_HEADING)[1].split("\n## ")[0]
    files = {}
    for text in re.findall(r"^```yaml\n(.*?)^```", section, re.DOTALL | re.MULTILINE):
        found = re.search(rf"^({'|'.join(_KINDS)}): (.+)$", text, re.MULTILINE)
        if found:
            kind, name = found.groups()
            path = "network.yaml" if kind == "network" else f"{_KINDS[kind]}{name}.yaml"
            files[path] = text
    return files


def example_zip() -> bytes:
    """The same as an archive that an import takes."""
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as made:
        for path, text in example_files().items():
            made.writestr(f"example/{path}", text)
    return archive.getvalue()
