"""Trying 50 edits against one obstacle of the demo, against one full convergence.

The obstacle is the filter that keeps a kiosk from the booking database; the edits are 50 rules,
most of which do not help. Each is made in the file's text, read, computed and asked both ways.
Also printed: what trying a route costs, which means to compute the tables anew. From the checkout:

    PYTHONPATH=. .venv/bin/python bench/remedies.py
"""

from __future__ import annotations

import time
from pathlib import Path

from routrel.convergence.converge import State, converge, with_same_tables
from routrel.files.patching import insert_item
from routrel.files.reader import reread_devices
from routrel.lens.look import look_at_folder
from routrel.questions.flow import FlowQuestion, arrives, ask_flow

DEMO = Path(__file__).resolve().parent.parent / "demo"
EDITS = 50
FILE = "devices/eas-fw-1.yaml"
RULES = ("filters", "wan-in", "rules")
QUESTION = FlowQuestion(source="kiosk-gul", destination="booking-db", traffic="tcp 5432")


def main() -> None:
    view = look_at_folder(DEMO)
    if view.state is None:
        raise SystemExit("the demo has problems")
    text = view.texts[FILE]
    began = time.perf_counter()
    converge(view.state.network)
    full = time.perf_counter() - began
    helped = 0
    began = time.perf_counter()
    for number in range(EDITS):
        port = 5432 if number % 10 == 0 else 5000 + number
        rule = f"{{id: 25, permit: tcp, from: 10.64.7.{number}, to: 10.80.3.12, to-port: {port}}}"
        if number == 20:
            rule = rule.replace("10.64.7.20", "10.64.7.21")
        helped += arrives(ask_flow(tried(view.state, insert_item(text, RULES, 2, rule)), QUESTION))
    trials = time.perf_counter() - began
    print(f"one full convergence {full:.2f} s, {EDITS} edits tried {trials:.2f} s ({helped} help)")
    print(f"ratio {trials / full:.2f} (wanted: below 2)")
    route = "{to: 10.81.0.0/16, via: 10.66.10.0}"
    began = time.perf_counter()
    tried(view.state, insert_item(text, ("static",), 99, route))
    print(f"one route tried {(time.perf_counter() - began) / full:.2f} of a full convergence")


def tried(state: State, text: str) -> State:
    """The network with one file's text changed."""
    network = reread_devices(state.network, {FILE: text}).network
    return with_same_tables(state, network) or converge(network, since=state)


if __name__ == "__main__":
    main()
