"""Writes the tables of docs/device-file.md anew from the records of the language.

Prose before and after a record's table stays as it is; a record that has no section yet gets one.
"""

from __future__ import annotations

import re
import sys
from enum import Enum
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from routrel.files.language import RECORDS
from routrel.files.shapes import Field, Record

REFERENCE = Path(__file__).resolve().parent.parent / "docs" / "device-file.md"
HEAD = "| key | needed | default | meaning |\n|---|---|---|---|\n"


def main() -> None:
    """Rewrite the reference part, in the order of the records."""
    text = REFERENCE.read_text()
    first = re.search(r"^### ", text, re.MULTILINE)
    end = re.search(r"^## ", text[first.start() :], re.MULTILINE) if first else None
    if first is None:
        raise SystemExit(f"{REFERENCE} has no sections of records")
    stop = first.start() + end.start() if end else len(text)
    sections = dict(_sections(text[first.start() : stop]))
    written = "".join(_section(title, record, sections) for title, record in RECORDS.items())
    REFERENCE.write_text(text[: first.start()] + written + text[stop:])


def _sections(text: str) -> list[tuple[str, str]]:
    parts = re.split(r"^### (.+)\n", text, flags=re.MULTILINE)[1:]
    return list(zip(parts[::2], parts[1::2], strict=True))


def _section(title: str, record: Record, sections: dict[str, str]) -> str:
    before, after = _prose(sections.get(title, ""))
    rows = "".join(_row(field) for field in record.fields)
    reserved = ", ".join(f"`{key}`" for key in record.reserved)
    parts = [f"### {title}", before, (HEAD + rows).strip()]
    parts += [f"Reserved: {reserved}." if reserved else "", after]
    return "\n\n".join(part for part in parts if part) + "\n\n"


def _prose(section: str) -> tuple[str, str]:
    """What stands before and after a section's table and its reserved keys."""
    before, _, rest = section.partition(HEAD)
    lines = [line for line in rest.splitlines() if not line.startswith("| ")]
    after = "\n".join(line for line in lines if not line.startswith("Reserved: "))
    return before.strip(), after.strip()


def _row(field: Field) -> str:
    needed = "yes" if field.required else ""
    return (
        f"| `{field.key}` | {needed} | {_default(field)} | {field.shape.expects}: {field.help} |\n"
    )


def _default(field: Field) -> str:
    if field.required:
        return ""
    value = field.default.value if isinstance(field.default, Enum) else field.default
    if isinstance(value, tuple) and value and all(isinstance(item, int) for item in value):
        return ", ".join(map(str, value))
    return str(value).lower() if isinstance(value, (bool, int)) or _is_word(value) else "nothing"


def _is_word(value: object) -> bool:
    return isinstance(value, str) and bool(value)


if __name__ == "__main__":
    main()
