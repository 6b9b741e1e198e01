"""The lines of CSV files that belong to a network (RFC 4180)."""

from __future__ import annotations

import csv
import io
import ipaddress
from collections.abc import Collection, Iterable, Iterator

from routrel.files.report import Report
from routrel.model.addresses import Prefix
from routrel.model.place import Place

__all__ = [
    "BadCsv",
    "BadField",
    "csv_rows",
    "has_columns",
    "numbered_rows",
    "prefix_in",
    "report_line",
    "written_rows",
]


class BadField(Exception):
    """A value that is not what its column holds."""


class BadCsv(Exception):
    """A text that is no CSV, with the line where that shows."""

    def __init__(self, line: int, text: str) -> None:
        super().__init__(text)
        self.line = line


def has_columns(text: str, needed: Collection[str], known: Collection[str]) -> bool:
    """Whether the first line of a text names columns: all that are needed, and none unknown."""
    names = {name.strip() for name in text.partition("\n")[0].split(",")}
    return set(needed) <= names <= set(known)


def numbered_rows(text: str, delimiter: str = ",") -> Iterator[tuple[int, list[str]]]:
    """Lines with their numbers, from 1; empty ones and remarks are passed over.

    Raises:
        BadCsv: the text is no CSV.
    """
    reader = csv.reader(io.StringIO(text), delimiter=delimiter, strict=True)
    while True:
        line = reader.line_num + 1
        try:
            row = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            raise BadCsv(line, str(error)) from error
        if row and not row[0].startswith("#"):
            yield line, row


def csv_rows(text: str, file: str, report: Report) -> Iterator[tuple[int, list[str]]]:
    """The same; that a text is no CSV is reported."""
    try:
        yield from numbered_rows(text)
    except BadCsv as error:
        report.error(Place(file, error.line, 1), "bad_csv", f"no CSV: {error}", "see RFC 4180")


def report_line(report: Report, file: str, line: int, error: BadField) -> None:
    """Report a line that is wrong."""
    report.error(Place(file, line, 1), "bad_entry", str(error), "correct the line, or remove it")


def prefix_in(text: str) -> Prefix:
    """A prefix in its canonical form.

    Raises:
        BadField: it is none.
    """
    try:
        return ipaddress.ip_network(text)
    except ValueError as error:
        raise BadField(f"“{text[:60]}” is no prefix") from error


def written_rows(columns: Iterable[str], rows: Iterable[Iterable[object]]) -> str:
    """Rows below their columns as CSV."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(rows)
    return out.getvalue()
