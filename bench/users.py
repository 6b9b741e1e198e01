"""Fifty people who ask without a pause, against one: `python -m bench.users`.

Starts a Routrel of its own. Prints the 95th percentile of the answer's time for one and for fifty,
their ratio, and the errors. The mix: flows, routes, tables, pages, findings, saved questions.
"""

from __future__ import annotations

import argparse
import random
import statistics
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor

from tests.faults.site import ROOT, LiveSite, Person

BASE = "/api/networks/marram"
PEOPLE = """
from django.contrib.auth import get_user_model
from server.networks.models import Membership, Network
for number in range({count}):
    user = get_user_model().objects.create_user(f"user{{number}}", password={password!r})
    Membership.objects.create(network=Network.objects.get(), user=user, role="viewer")
"""


def questions(chance: random.Random) -> str:
    """One address of the mix. Ports are drawn, since people do not ask the same all day."""
    kiosk = chance.choice(["kiosk-gul", "kiosk-ald", "kiosk-har"])
    port = chance.randrange(1, 65536)
    device = chance.choice(["gul-edge-1", "ald-core-1", "har-yard-1", "eas-fw-1"])
    third = chance.randrange(1, 14)
    mix = [
        (6, f"{BASE}/flow?from={kiosk}&to=booking-db&as=tcp+{port}"),
        (4, f"{BASE}/flow?from=har-yard-2&to=10.64.{third}.9&as=udp+{port}"),
        (1, f"{BASE}/flow?from=kiosks&to=10.80.3.0/24&as=tcp+{port}"),
        (3, f"{BASE}/why?device={device}&q=10.64.{third}.0/24"),
        (2, f"{BASE}/table?device={device}"),
        (2, f"{BASE}/holders?q=10.64.{third}.0/24"),
        (2, f"{BASE}/find?q={chance.choice(['booking', 'eas', '10.64'])}"),
        (2, f"{BASE}/devices/{device}"),
        (1, f"{BASE}/findings"),
        (1, f"{BASE}/questions"),
        (2, "/api/networks"),
    ]
    return chance.choices([each for _, each in mix], [weight for weight, _ in mix])[0]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--users", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=20)
    options = parser.parse_args()
    site = LiveSite()
    try:
        code = PEOPLE.format(count=options.users, password=site.password)
        command = [sys.executable, str(ROOT / "server" / "manage.py"), "shell", "-c", code]
        subprocess.run(command, check=True, env=site.environment)  # noqa: S603 - of our own
        people = [site.person(f"user{number}") for number in range(options.users)]
        for number in range(60):  # the states are computed, the processes warm
            people[0].get(questions(random.Random(number)))
        alone, errors = measure(people[:1], options.seconds)
        many, more = measure(people, options.seconds)
    finally:
        site.remove()
    one, fifty = p95(alone), p95(many)
    print(f"one user:  p95 {1000 * one:6.0f} ms of {len(alone)} answers")
    print(f"{options.users} users:  p95 {1000 * fifty:6.0f} ms of {len(many)} answers")
    rate = len(many) / options.seconds
    print(f"ratio {fifty / one:.1f}; {rate:.0f} answers a second; errors: {errors + more}")
    return 0


def measure(people: list[Person], seconds: float) -> tuple[list[float], int]:
    """The time of each answer in seconds, and how many were none."""
    times: list[float] = []
    errors = 0
    lock = threading.Lock()
    until = time.monotonic() + seconds

    def run(number: int) -> None:
        nonlocal errors
        chance = random.Random(number)
        while time.monotonic() < until:
            began = time.monotonic()
            status = people[number].get(questions(chance)).status_code
            with lock:
                times.append(time.monotonic() - began)
                errors += status >= 500 or status == 429

    with ThreadPoolExecutor(len(people)) as pool:
        list(pool.map(run, range(len(people))))
    return times, errors


def p95(times: list[float]) -> float:
    return statistics.quantiles(times, n=20)[-1]


if __name__ == "__main__":
    sys.exit(main())
