"""Finding anything in a network of some 100,000 things, against looking at each of them.

PYTHONPATH=. .venv/bin/python bench/find.py
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from bench.networks import star_of_rings
from routrel.answers.find.index import FindIndex
from routrel.lens.look import look

DEVICES, RULES, TIMES = 500, 150, 7
QUERIES = (
    "r17", "10.", "permit tcp", "guard rule 7", "172.16.1.2 443", "r400 guard", "nowhere at all",
    "r3 r499 tcp 443", "why 172.16.0.0/28 at r3", "ospf area cost",
)  # fmt: skip


def main() -> None:
    texts = {
        path: text + _filter(number)
        for number, (path, text) in enumerate(star_of_rings(DEVICES, 20).items())
    }
    view = look(texts)
    if view.state is None:
        raise SystemExit(f"the files have problems: {view.reading.problems[0].text}")
    begin = time.perf_counter()
    index = FindIndex(view.state, texts)
    built = time.perf_counter() - begin
    lines = sum(text.count("\n") for text in texts.values())
    print(f"{len(index.things):,} things, {lines:,} lines of files; index made in {built:.2f} s")
    index.find("first look at the lines")
    slowest = 0.0
    for words in QUERIES:
        found = _median(lambda words=words: index.find(words))
        plain = _median(lambda words=words: _plain(index, words))
        slowest = max(slowest, found)
        print(
            f"{words:26} {found * 1000:7.1f} ms, {plain / found:6.1f} times as fast as one by one"
        )
    print(f"slowest {slowest * 1000:.0f} ms (wanted: under 100)")


def _filter(number: int) -> str:
    rules = "\n".join(
        f"      - {{id: {k}, permit: tcp, from: 172.16.{number % 256}.{k % 256}/32, "
        f"to-port: {443 + k}}}"
        for k in range(1, RULES + 1)
    )
    return f"filters:\n  guard:\n    default: deny\n    rules:\n{rules}\n"


def _plain(index: FindIndex, words: str) -> list[object]:
    wanted = words.lower().split()
    hits = []
    for item in index.things:
        title, detail = item.title.lower(), item.detail.lower()
        if all(word in title or word in detail for word in wanted):
            hits.append(((title != words, not title.startswith(words), len(title)), item))
    hits.sort(key=lambda hit: hit[0])
    return [item for _, item in hits[:20]]


def _median(run: Callable[[], object]) -> float:
    times = []
    for _ in range(TIMES):
        begin = time.perf_counter()
        run()
        times.append(time.perf_counter() - begin)
    return statistics.median(times)


if __name__ == "__main__":
    main()
