"""Looks for bytes that make a reader fail, led by which of its lines they reach.

    .venv/bin/pip install atheris
    .venv/bin/python -m tests.fuzzing yang --minutes 10

It begins with the files of the demos, and with what was found before. JSON is changed by its
members half of the time, else by its bytes. What makes the reader fail is kept in `found/`, one
for each way of failing, and the search goes on.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any

import atheris  # it is not needed to run or test Routrel

ROOT = Path(__file__).resolve().parents[2]

with atheris.instrument_imports(include=["routrel"]):
    from routrel.files.reader import load_texts, read_texts
    from routrel.formats.linux.bundle import FILES
    from routrel.formats.yang.writing import device_json
    from tests.engine.formats.breaking import broken
    from tests.fuzzing.readers import FOUND, READERS


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("reader", choices=sorted(READERS))
    parser.add_argument("--minutes", type=float, default=10)
    given = parser.parse_args()
    corpus = ROOT / "var" / "fuzzing" / given.reader
    corpus.mkdir(parents=True, exist_ok=True)
    for number, seed in enumerate(_seeds(given.reader)):
        (corpus / f"seed-{number}").write_bytes(seed)
    found = FOUND / given.reader
    found.mkdir(parents=True, exist_ok=True)
    settings = [
        f"-max_total_time={int(given.minutes * 60)}", f"-artifact_prefix={found}/", "-verbosity=0",
        "-timeout=20", "-rss_limit_mb=3000", "-max_len=20000", str(corpus), str(found),
    ]  # fmt: skip
    more: dict[str, Any] = {}
    if given.reader in ("yang", "linux"):
        more["custom_mutator"] = _changed
    atheris.Setup([sys.argv[0], *settings], _keeping(given.reader, found), **more)
    atheris.Fuzz()


def _keeping(reader: str, found: Path) -> Callable[[bytes], None]:
    """A reader whose failures are kept, the shortest of each kind, and go no further."""
    shortest: dict[str, int] = {}

    def work(data: bytes) -> None:
        try:
            READERS[reader](data)
        except Exception as error:
            frames = traceback.extract_tb(error.__traceback__)
            code = getattr(error.args[0] if error.args else None, "code", "")
            kind = f"{type(error).__name__}-{frames[-1].name}-{frames[-1].lineno}-{code}".strip(
                "_-"
            )
            if len(data) < shortest.get(kind, len(data) + 1):
                shortest[kind] = len(data)
                (found / kind).write_bytes(data)
                print(f"{kind}: {error}", flush=True)

    return work


def _changed(data: bytes, most: int, seed: int) -> bytes:
    """Data with a member or a byte changed; of several captures, of one of them."""
    dice = random.Random(seed)
    parts = data.split(b"\x00")
    at = dice.randrange(len(parts))
    if dice.random() < 0.5:
        try:
            value = json.loads(parts[at])
        except ValueError:
            return bytes(atheris.Mutate(data, most))
        parts[at] = json.dumps(broken(value, dice), ensure_ascii=False).encode("utf-8", "replace")
        return b"\x00".join(parts)[:most]
    return bytes(atheris.Mutate(data, most))


def _seeds(reader: str) -> list[bytes]:
    demo, formats = ROOT / "demo", ROOT / "demo-formats"
    if reader == "yang":
        network = read_texts(load_texts(demo)[0]).network
        written = [device_json(device).encode() for device in network.devices[:12]]
        return [*written, *(path.read_bytes() for path in formats.rglob("reed-*.json"))]
    if reader == "linux":
        hosts = {path.parent for path in formats.rglob("addr.json")}
        return [
            b"\x00".join(
                (host / name).read_bytes() if (host / name).exists() else b"" for name in FILES
            )
            for host in sorted(hosts)
        ]
    suffix = {
        "mrt": ".mrt",
        "list": ".csv",
        "hosts": "hosts",
        "own": ".yaml",
        "events": ".jsonl",
        "dump-events": ".mrt",
        "syslog": ".log",
    }[reader]
    found = [path.read_bytes() for folder in (demo, formats) for path in folder.rglob(f"*{suffix}")]
    return [content for content in found if len(content) < 20_000]


if __name__ == "__main__":
    main()
