"""Filtering a table of 20,000 routes, against looking at its rows one by one.

PYTHONPATH=. .venv/bin/python bench/table.py
"""

from __future__ import annotations

from bench.networks import star_of_rings
from bench.timing import fastest
from routrel.answers.base import data
from routrel.answers.tables import TableQuestion, table_data
from routrel.lens.look import look

ROUTES = 20_000
FILTERS = ("172.16", "static 7.0/24", "no such thing", "")


def main() -> None:
    state = look(star_of_rings(8, ROUTES)).state
    if state is None:
        raise SystemExit("the files have problems")
    whole = table_data(state, TableQuestion(device="r0", limit=1)).total
    print(f"{whole:,} routes")
    for words in FILTERS:
        asked = TableQuestion(device="r0", contains=words)
        found = fastest(lambda asked=asked: table_data(state, asked), times=5)
        every = TableQuestion(device="r0", limit=whole)
        plain = fastest(lambda every=every: data(table_data(state, every)), times=1)
        print(
            f"“{words}”: {found * 1000:.0f} ms (wanted: under 200), "
            f"{plain / found:.0f} times as fast as making every row"
        )


if __name__ == "__main__":
    main()
