"""An order of a change's steps that breaks no kept flow, and the sheet that tells it."""

from __future__ import annotations

import pytest

from routrel.answers.change_sheet import change_sheet_data
from routrel.answers.comparison import comparison_data
from routrel.answers.sheet_markdown import sheet_markdown
from routrel.files.reader import read_change
from routrel.lens.look import Lens, look, look_through
from routrel.questions.flow import FlowQuestion
from routrel.questions.steps import order_of_steps
from tests.nets import device

#: a - r1 - r2 - b, and r1 - r3 - b: everything is static, so that only what is written counts.
NET = {
    "a.yaml": device(
        "a", "interfaces: {e: {addresses: [10.1.0.10/24]}}\ngateway: 10.1.0.1", "host"
    ),
    "b.yaml": device(
        "b", "interfaces: {e: {addresses: [10.4.0.10/24]}}\ngateway: 10.4.0.1", "host"
    ),
    "r1.yaml": device(
        "r1",
        """
        interfaces:
          lan: {addresses: [10.1.0.1/24]}
          e2: {addresses: [10.0.12.1/30]}
          e3: {addresses: [10.0.13.1/30]}
        static: [{to: 10.4.0.0/24, via: 10.0.12.2}]
        """,
    ),
    "r2.yaml": device(
        "r2",
        """
        interfaces:
          e1: {addresses: [10.0.12.2/30]}
          lan: {addresses: [10.4.0.1/24]}
        static: [{to: 10.1.0.0/24, via: 10.0.12.1}]
        """,
    ),
    "r3.yaml": device(
        "r3",
        """
        interfaces:
          e1: {addresses: [10.0.13.2/30]}
          lan: {addresses: [10.4.0.2/24]}
        """,
    ),
}
TO_R3 = "{at: r1 static 10.4.0.0/24 via, was: 10.0.12.2, set: 10.0.13.2}"
ROUTE_BACK = "{at: r3 static, set: [{to: 10.1.0.0/24, via: 10.0.13.1}]}"
GATEWAY = "{at: b gateway, was: 10.4.0.1, set: 10.4.0.2}"
OTHER_LINK = "{at: r1 interfaces e2 addresses, was: [10.0.12.1/30], set: [10.0.22.1/30]}"
OTHER_END = "{at: r2 interfaces e1 addresses, was: [10.0.12.2/30], set: [10.0.22.2/30]}"
OTHER_WAY = "{at: r1 static 10.4.0.0/24 via, was: 10.0.12.2, set: 10.0.22.2}"
OTHER_BACK = "{at: r2 static 10.1.0.0/24 via, was: 10.0.12.1, set: 10.0.22.1}"
OFF = "{at: r1 static 10.4.0.0/24 distance, set: 9, skip: true}"
KEPT = {"web": FlowQuestion(source="a", destination="b", traffic="", both=True)}


def ordered(*edits: str, patience_s: float = 60):
    text = "routrel: 1\nchange: move\npurpose: by r3\nedits:\n" + "".join(
        f"  - {e}\n" for e in edits
    )
    change, problems = read_change(text, "move.yaml")
    assert change is not None, problems
    before = look(NET)
    after = look_through(Lens(texts=NET, changes=(change,)), since=before)
    assert before.state is not None
    assert after.state is not None, after.reading.problems
    steps = order_of_steps(before, change, after.state, KEPT, patience_s=patience_s)
    told = ((before.state, ()), (after.state, ()))
    sheet = change_sheet_data(before.texts, change, steps, comparison_data(*told, KEPT, (change,)))
    return steps, sheet


@pytest.mark.parametrize(
    ("edits", "order", "keeps_all"),
    [
        # Packets may go by r3 before answers may: r3 needs its route back only once b answers there.
        ((GATEWAY, TO_R3, ROUTE_BACK), (1, 2, 0), True),
        # An edit that is off is no step.
        ((OFF, TO_R3), (1,), True),
        # Both ends of a link are renumbered: whichever is first, the link is cut in between.
        ((OTHER_LINK, OTHER_END, OTHER_WAY, OTHER_BACK), (0, 1, 2, 3), False),
    ],
)
def test_steps_are_ordered_so_that_nothing_breaks_where_that_is_possible(edits, order, keeps_all):
    steps, sheet = ordered(*edits)
    assert tuple(step.edit for step in steps.steps) == order
    assert (steps.keeps_all, steps.complete) == (keeps_all, True)
    assert all((not step.breaks) == keeps_all for step in steps.steps[:-1])
    assert steps.steps[-1].breaks == ()
    assert [step.breaks for step in sheet.steps] == [list(step.breaks) for step in steps.steps]


def test_a_search_that_ends_early_says_so():
    steps, sheet = ordered(OTHER_LINK, OTHER_END, OTHER_WAY, OTHER_BACK, patience_s=0)
    assert not steps.complete
    assert "is not known: time ended" in sheet.order


def test_the_sheet_tells_steps_and_the_way_back_with_their_lines():
    """Each line that a step makes different is taken back by the opposite one, the last one first."""
    _, sheet = ordered(GATEWAY, TO_R3, ROUTE_BACK)
    assert [step.place for step in sheet.steps] == [
        "r1 static 10.4.0.0/24 via",
        "r3 static",
        "b gateway",
    ]
    assert [step.place for step in sheet.back] == [step.place for step in reversed(sheet.steps)]
    for step, back in zip(sheet.steps, reversed(sheet.back), strict=True):
        assert [(one.after, one.before) for one in step.lines] == [
            (one.before, one.after) for one in back.lines
        ]
    written = sheet_markdown(sheet)
    for part in ("# move", "by r3", "via: 10.0.13.2", "In this order none of 1 kept flow breaks"):
        assert part in written
