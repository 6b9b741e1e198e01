"""A flow question on 500 devices, against an empty authenticated request of the same server.

Both go through the whole web application in this process, with the real database; so the database
must be running (./start in another terminal). The network made for this is removed again.
From the checkout:

    PYTHONPATH=. .venv/bin/python bench/warm_question.py
"""

from __future__ import annotations

import os
import statistics
import time

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
django.setup()

from django.conf import settings  # noqa: E402
from django.contrib.auth import get_user_model  # noqa: E402
from django.test import Client  # noqa: E402

from bench.networks import star_of_rings  # noqa: E402
from server.networks.imports import add_revision  # noqa: E402
from server.networks.models import Membership, Network, Role  # noqa: E402

DEVICES, STATICS, TIMES = 500, 200, 40
SLUG = "bench-warm-question"


def main() -> None:
    settings.ALLOWED_HOSTS = ["testserver"]
    Network.objects.filter(slug=SLUG).delete()
    network = Network.objects.create(slug=SLUG, title="bench")
    user, _ = get_user_model().objects.get_or_create(username=SLUG)
    try:
        Membership.objects.create(network=network, user=user, role=Role.VIEWER)
        add_revision(network, star_of_rings(DEVICES, STATICS), author=None)
        client = Client()
        client.force_login(user)
        names = sorted(star_of_rings(DEVICES, STATICS))
        devices = [name.removesuffix(".yaml") for name in (names[3], names[-3])]
        question = f"/api/networks/{SLUG}/flow?from={devices[0]}&to={devices[1]}&as=tcp%20443"
        first = client.get(question)
        if first.status_code != 200:
            raise SystemExit(f"the question was refused: {first.content.decode()[:300]}")
        answer = first.json()["forward"]
        hops = len(answer["branches"][0]["hops"])
        print(f"{DEVICES} devices, {answer['verdict']} over {hops} hops")
        empty, warm = median(client, "/api/session"), median(client, question)
        print(f"empty request {empty * 1000:.1f} ms, warm question {warm * 1000:.1f} ms")
        print(f"ratio {warm / empty:.1f} (wanted: at most 20)")
    finally:
        network.delete()
        user.delete()


def median(client: Client, path: str) -> float:
    """Seconds of one request, the middle of many."""
    times = []
    for _ in range(TIMES):
        began = time.perf_counter()
        client.get(path)
        times.append(time.perf_counter() - began)
    return statistics.median(times)


if __name__ == "__main__":
    main()
