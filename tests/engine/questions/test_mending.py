"""Edits that make the model be what was read: each is found again where it alone was left out."""

from __future__ import annotations

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from routrel.files.observed import write_observed
from routrel.lens.file_edits import LAST, FileEdit, Insert, Remove, SetKey, edited
from routrel.lens.look import Lens, look_through
from routrel.questions.agreement.mending import find_mending
from routrel.questions.agreement.reasons import compared
from routrel.questions.exporting import computed_tables
from tests.nets import device

#: A square r1 -- r2 -- r3 -- r4 -- r1 of OSPF, cost 10 but for r4--r1 with 15, and a stub at each.
TOP = """
    ospf: {{router-id: 10.255.0.{n}, redistribute: [{{from: static}}]}}
    static:
      - {{to: 10.9.{n}.0/24, discard: true}}
      - {{to: 10.8.{n}.0/24, via: 10.1.{n}.9}}
    interfaces:
      lan: {{addresses: [10.1.{n}.1/24], ospf: {{area: 0, cost: 3, passive: true}}}}
      e{n}: {{addresses: [10.0.{n}.1/30], ospf: {{area: 0, cost: {cost}, network: point-to-point}}}}
      e{before}: {{addresses: [10.0.{before}.2/30], ospf: {{area: 0, cost: {back}, network: point-to-point}}}}
"""
NET = {
    f"r{n}.yaml": device(
        f"r{n}",
        TOP.format(n=n, before=n - 1 or 4, cost=15 if n == 4 else 10, back=15 if n == 1 else 10),
    )
    for n in (1, 2, 3, 4)
}


def model_of(reality, model=NET):
    """The model with the tables of what is real."""
    state = look_through(Lens(texts=reality)).state
    return {**model, "tables.csv": write_observed(computed_tables(state))}


def mended(reality, model=NET):
    texts = model_of(reality, model)
    return find_mending(look_through(Lens(texts=texts)).state, texts)


OSPF_E1 = ("interfaces", "e1", "ospf")
CASES = {
    "a dead port": [FileEdit("r1.yaml", SetKey(("interfaces", "lan"), "carrier", "false"))],
    "a dead link": [FileEdit("r1.yaml", SetKey(("interfaces", "e1"), "carrier", "false"))],
    "a dearer link": [FileEdit("r1.yaml", SetKey(OSPF_E1, "cost", "40"))],
    "a cheaper link": [FileEdit("r2.yaml", SetKey(("interfaces", "e2", "ospf"), "cost", "4"))],
    "a little dearer": [FileEdit("r3.yaml", SetKey(("interfaces", "e3", "ospf"), "cost", "11"))],
    "no adjacency": [FileEdit("r1.yaml", SetKey(OSPF_E1, "passive", "true"))],
    "a static more": [FileEdit("r3.yaml", Insert(("static",), LAST, "{to: 10.7.0.0/16, via: 10.1.3.8}"))],
    "a discard more": [FileEdit("r3.yaml", Insert(("static",), LAST, "{to: 10.7.0.0/16, discard: true}"))],
    "statics less": [FileEdit("r2.yaml", Remove(("static", 1))), FileEdit("r2.yaml", Remove(("static", 0)))],
    "another gateway": [FileEdit("r4.yaml", SetKey(("static", 1), "via", "10.1.4.77"))],
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_what_is_otherwise_in_reality_is_found(name):
    """One edit more in reality than in the files: all tables show it, and one step mends them."""
    found = mended(edited(NET, CASES[name]))
    assert not found.before.agrees
    assert found.after.agrees, [step.text for step in found.steps]
    assert len(found.steps) == (2 if name == "statics less" else 1)
    assert {change.file for change in found.changes} == {change.file for change in CASES[name]}


def test_what_the_model_forgot_is_written_where_it_belongs():
    """In reality r1 speaks OSPF to r2, and its file says passive: the line goes."""
    model = edited(NET, [FileEdit("r1.yaml", SetKey(OSPF_E1, "passive", "true"))])
    found = mended(NET, model)
    assert found.after.agrees
    (patch,) = found.patches
    assert (patch.file, found.steps[0].text) == ("r1.yaml", "r1: ospf not passive on e1")
    assert "passive: true" in patch.before[0]
    assert "passive: true" not in patch.after[0]


def test_where_all_agrees_nothing_is_tried():
    found = mended(NET)
    assert (found.before.agrees, found.steps, found.tried) == (True, (), 0)


_LINKS = [(n, e) for n in (1, 2, 3, 4) for e in (n, n - 1 or 4)]


@settings(max_examples=10, deadline=None, phases=[Phase.explicit, Phase.reuse, Phase.generate])
@given(st.dictionaries(st.sampled_from(_LINKS), st.integers(1, 40), min_size=1, max_size=3))
def test_no_edit_that_is_proposed_makes_it_worse(costs):
    """Whatever costs are real: each step mends what it says, and no entry more differs after all."""
    edits = [
        FileEdit(f"r{n}.yaml", SetKey(("interfaces", f"e{e}", "ospf"), "cost", str(cost)))
        for (n, e), cost in costs.items()
    ]
    texts = model_of(edited(NET, edits))
    found = find_mending(look_through(Lens(texts=texts)).state, texts)
    before, after = (one.entries - one.equal for one in (found.before, found.after))
    assert after == before - sum(step.mended for step in found.steps)
    assert after <= before
    anew = look_through(Lens(texts=edited(texts, found.changes))).state
    assert sum(len(one.differences) for one in compared(anew)) == after
