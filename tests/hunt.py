"""Runs one of the random tests for longer: `python -m tests.hunt differential.test_any_network --minutes 30`.

Every round takes a fresh seed, which is printed; `--seed` repeats one.
"""

from __future__ import annotations

import argparse
import importlib
import random
import sys
import time

from hypothesis import HealthCheck, settings

__all__ = ["main"]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("module", help="a module of tests, as differential.test_any_network")
    parser.add_argument("--test", help="one of its tests; left out: all random ones in turn")
    parser.add_argument("--minutes", type=float, default=1.0)
    parser.add_argument("--examples", type=int, default=100, help="of a round")
    parser.add_argument("--seed", type=int, help="the seed of the only round")
    options = parser.parse_args()
    module = importlib.import_module(f"tests.{options.module}")
    tests = [
        value
        for name, value in vars(module).items()
        if hasattr(value, "hypothesis") and options.test in (None, name)
    ]
    if not tests:
        parser.error("there is no such random test")
    ends = time.monotonic() + 60 * options.minutes
    rounds = 0
    while time.monotonic() < ends or not rounds:
        for test in tests:
            seed = options.seed if options.seed is not None else random.randrange(10**9)
            _set(test, seed, options.examples)
            print(f"{test.__name__} --seed {seed}", flush=True)
            test()
        rounds += 1
        if options.seed is not None:
            break
    print(f"{rounds} rounds of {options.examples} examples: no difference")
    return 0


def _set(test: object, seed: int, examples: int) -> None:
    """Another number of examples and a seed of its own for a test that is decorated already."""
    test._hypothesis_internal_use_seed = seed  # type: ignore[attr-defined]
    test._hypothesis_internal_use_settings = settings(  # type: ignore[attr-defined]
        max_examples=examples,
        deadline=None,
        database=None,
        suppress_health_check=list(HealthCheck),
    )


if __name__ == "__main__":
    sys.exit(main())
