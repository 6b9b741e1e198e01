"""A table filtered by arrays is the table filtered row by row; beside its former self, what moved."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from routrel.answers.base import data
from routrel.answers.tables import TableQuestion, table_data
from routrel.convergence.converge import State, converge
from routrel.lens.failures import named_failures
from routrel.lens.look import look
from routrel.questions.comparison.routes import route_changes

DEMO = Path(__file__).resolve().parents[3] / "demo"
WORDS = ["ospf", "10.", "/30", "bgp intra", "lan", "wan7 0.0", "discard", "inter-area", "2001:db8",
         "STATIC", "port1 10.255", "no-such-thing", "directly", "1"]  # fmt: skip


@pytest.fixture(scope="module")
def net() -> State:
    view = look({str(p.relative_to(DEMO)): p.read_text() for p in DEMO.rglob("*.yaml")})
    assert view.state is not None
    return view.state


def text_of(row: dict) -> str:
    """All that a filter may look for in a row, as the page shows it."""
    words = [row["prefix"]]
    for route in (row["left"], row["right"]):
        if route is not None:
            words += [route["protocol"], route["title"]]
            hops = route["next_hops"]
            words += ["", "discard"] if route["discard"] else []
            words += [f"{hop['address'] or ''} {hop['interface'] or 'discard'}" for hop in hops]
    return " ".join(words).lower()


def differs(row: dict) -> bool:
    left, right = row["left"], row["right"]
    if left is None or right is None:
        return True
    return [left[k] for k in ("title", "metric")] != [right[k] for k in ("title", "metric")]


def test_filters_keep_the_rows_that_hold_every_word_in_order(net: State):
    dice = random.Random(11)
    names = sorted(net.topology.devices)
    for _ in range(60):
        device, other = dice.sample(names, 2)
        asked = {"device": device, "other": dice.choice([None, other])}
        whole = data(table_data(net, TableQuestion(**asked, limit=1000)))
        assert whole["matching"] == whole["total"] == len(whole["rows"])
        words = " ".join(dice.sample(WORDS, dice.choice([0, 1, 1, 2])))
        only = asked["other"] is not None and dice.random() < 0.5
        wanted = [
            row
            for row in whole["rows"]
            if all(word in text_of(row) for word in words.lower().split())
            and (not only or differs(row))
        ]
        offset = dice.choice([0, 0, 3])
        found = data(
            table_data(
                net,
                TableQuestion(**asked, contains=words, differing=only, offset=offset, limit=7),
            )
        )
        assert (found["total"], found["matching"]) == (whole["total"], len(wanted)), (asked, words)
        assert found["rows"] == wanted[offset : offset + 7], (asked, words)


def test_what_differs_from_its_own_before_are_the_routes_that_moved(net: State):
    """With one core device off: each device's rows, told apart here and by the comparison."""
    now = converge(net.network, since=net, failures=named_failures(["device:cor-core-1"]))
    moved: dict[tuple[str, str], set[str]] = {}
    for change in route_changes(net.rib, now.rib):
        moved.setdefault(change.table, set()).add(str(change.prefix))
    assert len(moved) > 10
    for device, vrf in net.rib.interning.tables:
        asked = TableQuestion(device=device, vrf=vrf, differing=True, limit=1000)
        rows = data(table_data(now, asked, net))["rows"]
        assert {row["prefix"] for row in rows} == moved.get((device, vrf), set()), (device, vrf)
        for side, state in (("left", now), ("right", net)):
            alone = TableQuestion(device=device, vrf=vrf, limit=1000)
            held = {row["prefix"]: row["left"] for row in data(table_data(state, alone))["rows"]}
            assert all(row[side] == held.get(row["prefix"]) for row in rows)
