"""Sets everything up and runs all checks and tests; see `./test --help`."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent))

from launch.console import ROOT, LaunchError, tell
from launch.packages import PYTHON
from launch.setup import database, install, one_at_a_time

BIN = PYTHON.parent
WEB = ROOT / "web"


@dataclass(frozen=True)
class Part:
    """One check. Parts of one lane run one after the other, the lanes side by side."""

    name: str
    what: str
    command: list[str]
    lane: int
    cwd: Path = ROOT
    needs_database: bool = False
    needs_web: bool = False


def pytest(folder: str, *options: str) -> list[str]:
    return [str(BIN / "pytest"), f"tests/{folder}", *options]


PARTS = [
    Part("engine", "the engine's tests", pytest("engine"), lane=0),
    Part("launch", "the tests of ./start and ./test", pytest("launch"), lane=0),
    Part("server", "the server's tests, on PostgreSQL", pytest("server"), lane=0,
         needs_database=True),
    Part("browser", "errands in Chromium, on the built app", pytest("browser"), lane=0,
         needs_database=True, needs_web=True),
    Part("faults", "kills, races, hostile uploads on a live site", pytest("faults"), lane=1,
         needs_web=True),
    Part("kernel", "the forwarding model against the Linux kernel", pytest("kernel"), lane=1),
    Part("differential", "two ways to one answer: failed and shut, followed and computed anew",
         pytest("differential", "--numprocesses=auto"), lane=1),
    Part("lint", "ruff: lint", [str(BIN / "ruff"), "check", "."], lane=1),
    Part("format", "ruff: format", [str(BIN / "ruff"), "format", "--check", "."], lane=1),
    Part("types", "mypy, strictly but for the tests", [str(BIN / "mypy")], lane=1,
         needs_database=True),
    Part("layers", "import-linter", [str(BIN / "lint-imports")], lane=1),
    Part("web-types", "tsc", ["npm", "run", "-s", "types"], lane=1, cwd=WEB, needs_web=True),
    Part("web-lint", "eslint", ["npm", "run", "-s", "lint"], lane=1, cwd=WEB, needs_web=True),
    Part("web-unit", "vitest", ["npm", "run", "-s", "test"], lane=1, cwd=WEB, needs_web=True),
]  # fmt: skip


def main() -> int:
    names = ", ".join(part.name for part in PARTS)
    parser = argparse.ArgumentParser(
        prog="./test", description="Set everything up (once) and run all checks and tests."
    )
    parser.add_argument("parts", nargs="*", metavar="PART", help=f"only these: {names}")
    options = parser.parse_args()
    unknown = set(options.parts) - {part.name for part in PARTS}
    if unknown:
        parser.error(f"no such part: {', '.join(sorted(unknown))}; there are {names}")
    chosen = [part for part in PARTS if not options.parts or part.name in options.parts]
    try:
        return _run(chosen)
    except LaunchError as error:
        tell(error)
        return 1
    except KeyboardInterrupt:
        return 130


def _run(chosen: list[Part]) -> int:
    print("Routrel: setting up", flush=True)
    cluster, was_running = None, False
    with one_at_a_time():
        install(
            lock="test.txt",
            browser=any(part.name == "browser" for part in chosen),
            labs=any(part.name == "kernel" for part in chosen),
            web=any(part.needs_web for part in chosen),
        )
        if any(part.needs_database for part in chosen):
            cluster, was_running = database()
    print("Routrel: testing", flush=True)
    try:
        lanes = [[part for part in chosen if part.lane == lane] for lane in (0, 1)]
        with ThreadPoolExecutor(len(lanes)) as pool:
            results = [r for lane in pool.map(_run_lane, lanes) for r in lane]
    finally:
        if cluster is not None and not was_running:
            cluster.stop()
    failed = [name for name, good in results if not good]
    if failed:
        print(f"\nFailed: {', '.join(failed)}. Run one alone: ./test {failed[0]}")
    print(f"\nparts: {len(results) - len(failed)} passed, {len(failed)} failed")
    return 1 if failed else 0


def _run_lane(parts: list[Part]) -> list[tuple[str, bool]]:
    results = []
    for part in parts:
        began = time.monotonic()
        done = subprocess.run(
            part.command, cwd=part.cwd, text=True, stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False,
            env={**os.environ, "NO_COLOR": "1", "FORCE_COLOR": "0"},
        )  # fmt: skip
        good = done.returncode == 0
        seconds = time.monotonic() - began
        lines = done.stdout.strip().splitlines()
        summary = next((line for line in reversed(lines) if "passed" in line), "") if good else ""
        # One write for each part, since the lanes print side by side.
        text = f"  {'✓' if good else '✗'} {part.name:<10} {part.what:<45} {seconds:6.1f} s  "
        print(text + summary.strip("= ") + ("" if good else "\n" + done.stdout), flush=True)
        results.append((part.name, good))
    return results


if __name__ == "__main__":
    sys.exit(main())
