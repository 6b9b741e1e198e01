"""Changes: edits of places and of lines, conflicts, and the change between two folders."""

from __future__ import annotations

import random

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from routrel.files.reader import read_change
from routrel.files.writer import write_change
from routrel.lens.change_between import change_between
from routrel.lens.changes import Conflicts, with_change, with_changes
from routrel.lens.look import Lens, look_through
from routrel.model.changes import TextEdit

R1 = """\
routrel: 1
device: r1  # the first
role: router
interfaces:
  e1: {addresses: [10.0.0.1/31], mtu: 1500}
  # to the quay
  e2:
    addresses: [10.1.0.1/24]
    filters: {in: quay-in}
static:
  # the yard
  - {to: 10.9.0.0/16, via: 10.0.0.0}
  - {to: 10.8.0.0/16, via: 10.0.0.0}
filters:
  quay-in:
    rules:
      # web
      - {id: 10, permit: tcp, to-port: 443}
      - {id: 20, permit: udp, to-port: 53}
      - id: 30
        deny: any
    default: deny
"""
NET = {"n.yaml": "routrel: 1\nnetwork: N\nsites: {quay: {title: Quay}}\n", "devices/r1.yaml": R1}


def change(edits: str, texts=None):
    """A change with edits as a change file has them, read from its text."""
    text = "routrel: 1\nchange: try\nedits:\n" + "".join(f"  - {e}\n" for e in edits.split("\n"))
    made, problems = read_change(text, "try.yaml")
    assert made is not None, problems
    return made


def made(edits: str) -> str:
    return with_changes(NET, [change(edits)])["devices/r1.yaml"]


@pytest.mark.parametrize(
    ("edit", "gone", "come"),
    [
        ("{at: r1 interfaces e1 mtu, was: 1500, set: 1400}", ["mtu: 1500}"], ["mtu: 1400}"]),
        ("{at: r1 interfaces e1 description, set: north quay}", ["1500}"],
         ["1500, description: north quay}"]),
        ("{at: r1 interfaces e1 ospf cost, set: 5}", ["1500}"], ["1500, ospf: {cost: 5}}"]),
        ("{at: r1 static 10.8.0.0/16 via, was: 10.0.0.0, set: 10.1.0.9}",
         ["  - {to: 10.8.0.0/16, via: 10.0.0.0}"], ["  - {to: 10.8.0.0/16, via: 10.1.0.9}"]),
        ("{at: 'r1 static #2 via', was: 10.0.0.0, set: 10.1.0.9}",
         ["  - {to: 10.8.0.0/16, via: 10.0.0.0}"], ["  - {to: 10.8.0.0/16, via: 10.1.0.9}"]),
        ("{at: r1 filters quay-in rules, add: {id: 15, permit: icmp}, before: 20}", [],
         ["      - {id: 15, permit: icmp}"]),
        ("{at: r1 filters quay-in rules, add: {id: 40, permit: icmp}}", [],
         ["      - {id: 40, permit: icmp}"]),
        ("{at: r1 filters quay-in rules 20, remove: true, was: {id: 20, permit: udp, to-port: 53}}",
         ["      - {id: 20, permit: udp, to-port: 53}"], []),
        # A block of lines is replaced, in its place, whatever its style was.
        ("{at: r1 interfaces e2, was: {addresses: [10.1.0.1/24], filters: {in: quay-in}}, "
         "set: {addresses: [10.1.0.2/24]}}",
         ["  e2:", "    addresses: [10.1.0.1/24]", "    filters: {in: quay-in}"],
         ["  e2: {addresses: [10.1.0.2/24]}"]),
        ("{at: r1 filters quay-in rules 30, was: {id: 30, deny: any}, set: {id: 30, permit: any}}",
         ["      - id: 30", "        deny: any"], ["      - {id: 30, permit: any}"]),
    ],
)  # fmt: skip
def test_an_edit_of_a_place_moves_nothing_else(edit, gone, come):
    """Comments, order and spaces of all other lines stay; of a line, all but the value."""
    before, after = R1.splitlines(), made(edit).splitlines()
    assert [line for line in before if line not in after] == [
        line for line in before if any(line.endswith(g) for g in gone)
    ]
    new = [line for line in after if line not in before]
    assert len(new) == len(come)
    assert all(line.endswith(c) for line, c in zip(new, come, strict=True))


@pytest.mark.parametrize(
    ("edit", "order"),
    [
        ("{at: r1 filters quay-in rules 30, move: true, before: 10}", [30, 10, 20]),
        ("{at: r1 filters quay-in rules 10, move: true}", [20, 30, 10]),
        ("{at: r1 filters quay-in rules 10, move: true, before: 30}", [20, 10, 30]),
        ("{at: r1 filters quay-in rules 20, move: true, before: 30}", [10, 20, 30]),
    ],
)
def test_rules_move(edit, order):
    rules = yaml.safe_load(made(edit))["filters"]["quay-in"]["rules"]
    assert [rule["id"] for rule in rules] == order
    assert sorted(made(edit).splitlines()) == sorted(R1.splitlines())


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        ("{at: r9 role, was: host, set: router}", "r9 role: there is no device r9"),
        ("{at: x, file: z.yaml, set: 1}", "z.yaml x: there is no file z.yaml"),
        ("{at: r1 interfaces e1 mtu, was: 1400, set: 9000}", "“1400”, but “1500” stands there now"),
        ("{at: r1 interfaces e1 mtu, set: 9000}", "replaces nothing, but “1500” stands there now"),
        ("{at: r1 interfaces e1 ospf, was: {cost: 5}, set: {cost: 6}}", "but nothing stands there"),
        ("{at: r1 role x, set: 9000}", "r1 role x: "),
        ("{at: r1 filters quay-in rules, add: {id: 20, deny: any}}", "20 stands there already"),
        ("{at: r1 filters quay-in rules, add: {id: 9, deny: any}, before: 25}", "no item is called 25"),
        ("{at: r1 filters quay-in rules 10, remove: true, was: {id: 10}}", "it replaces “{id: 10}”"),
        ("{at: r1 static 10.7.0.0/16 via, set: 10.0.0.0}", "no item is called 10.7.0.0/16"),
        ("{file: devices/r1.yaml, line: 3, lines: \"role: host\\n\", text: \"\"}", "r1.yaml:3: the lines"),
        ("{file: devices/r2.yaml, line: 3, lines: \"role: host\\n\", text: \"\"}", "no such file"),
        ("{file: n.yaml, text: \"routrel: 1\\n\"}", "the file is not as it was"),
        ("{file: n.yaml, lines: \"routrel: 1\\n\"}", "the file is not as it was"),
    ],
)  # fmt: skip
def test_what_is_otherwise_now_is_a_conflict(edit, says):
    """Nothing is overwritten; the three versions are told, and the line of the change file."""
    changed = with_change(NET, change(edit))
    (conflict,) = changed.conflicts
    assert says in conflict.text
    assert str(conflict).startswith("try.yaml:4:5: ")
    assert changed.texts == NET
    with pytest.raises(Conflicts, match=r"try\.yaml:4:5"):
        with_changes(NET, [change(edit)])


def test_a_conflict_tells_what_stands_there():
    (one,) = with_change(NET, change("{at: r1 interfaces e1 mtu, was: 1400, set: 9000}")).conflicts
    assert (one.was, one.now, one.wanted, one.file) == ("1400", "1500", "9000", "devices/r1.yaml")


@pytest.mark.parametrize(
    "edit",
    [
        "{at: r1 interfaces e1 mtu, was: 1400, set: 1500}",
        "{at: r1 filters quay-in rules, add: {id: 20, permit: udp, to-port: 53}}",
        "{at: r1 filters quay-in rules 99, remove: true, was: {id: 99}}",
        "{at: r1 interfaces e1 ospf, remove: true, was: {cost: 9}}",
        '{file: devices/r1.yaml, line: 9, lines: "role: host\\n", text: "role: router\\n"}',
        '{file: devices/r7.yaml, lines: "role: host\\n"}',
    ],
)
def test_what_is_so_already_is_no_conflict(edit):
    assert with_changes(NET, [change(edit)]) == NET


def test_edits_stand_on_each_other_and_changes_too():
    texts = with_changes(
        NET,
        [
            change("{at: r1 interfaces e1 mtu, was: 1500, set: 1400}"),
            change(
                "{at: r1 interfaces e1 mtu, was: 1400, set: 1300}\n"
                "{at: r1 interfaces e1 mtu, was: 1300, set: 1200}"
            ),
        ],
    )
    assert "mtu: 1200" in texts["devices/r1.yaml"]


def test_lines_are_found_where_they_have_gone():
    """A newer revision has two lines more above: the span is found by what it says, if it is one."""
    edit = change('{file: n.yaml, line: 3, lines: "sites: {}\\n", text: "sites: {a: {}}\\n"}')
    moved = {"n.yaml": "# new\n# new\nroutrel: 1\nnetwork: N\nsites: {}\n"}
    assert with_changes(moved, [edit])["n.yaml"].endswith("sites: {a: {}}\n")
    twice = {"n.yaml": "x: 1\nsites: {}\ny: 2\nsites: {}\n"}
    assert with_change(twice, edit).conflicts


@pytest.mark.parametrize(
    ("edit", "code"),
    [
        ("{at: r1 role}", "bad_edit"),
        ("{at: r1 role, set: host, remove: true, was: router}", "bad_edit"),
        ("{at: r1 role, remove: true}", "bad_edit"),
        ("{at: r1 role, set: host, before: x}", "bad_edit"),
        ("{at: r1 role, set: host, line: 3}", "bad_edit"),
        ("{file: n.yaml, set: 1}", "bad_edit"),
        ("{file: n.yaml}", "bad_edit"),
        ("{file: n.yaml, lines: a, text: b}", "bad_edit"),
        ('{at: "r1 \'x", set: 1}', "bad_value"),
        ("{att: r1, set: 1}", "unknown_key"),
    ],
)
def test_edits_that_say_nothing_certain_are_refused(edit, code):
    made, problems = read_change(f"routrel: 1\nchange: try\nedits:\n  - {edit}\n", "try.yaml")
    assert made is None or not made.edits
    assert code in {problem.code for problem in problems}
    assert all(problem.place.line == 4 for problem in problems)


def test_a_lens_shows_what_its_changes_make():
    """What the state holds and where it stands follow the changed texts; a problem leaves none."""
    edit = "{at: r1 static, add: {to: 10.7.0.0/16, discard: true}, before: 10.9.0.0/16}"
    view = look_through(Lens(texts=NET, changes=(change(edit),)))
    static = view.reading.network.devices[0].vrfs[0].static
    assert [str(route.to) for route in static] == ["10.7.0.0/16", "10.9.0.0/16", "10.8.0.0/16"]
    broken = change("{at: r1 role, was: router, set: toaster}")
    view = look_through(Lens(texts=NET, changes=(broken,)))
    assert view.state is None
    assert [problem.place.line for problem in view.reading.problems] == [3]


# --- from one folder to another -------------------------------------------------------------------

VALUES = ["20", "x", "[a, b]", "{k: v}", '"10"', "true", "2001:db8::1", "a # no comment", ""]


def shaken(text: str, draw: random.Random) -> str:
    """A file as people may leave it: values, lines and items changed, removed, added, moved."""
    lines = text.splitlines(keepends=True)
    for _ in range(draw.randint(1, 4)):
        at = draw.randrange(len(lines))
        match draw.randrange(6):
            case 0:
                del lines[at]
            case 1:
                lines.insert(at, draw.choice(["# noted\n", "\n", "odd: 1\n", lines[at]]))
            case 2:
                lines[at] = lines[at].replace("1", draw.choice("123"))
            case 3:
                key, colon, _ = lines[at].partition(": ")
                lines[at] = f"{key}{colon}{draw.choice(VALUES)}\n"
            case 4:
                other = draw.randrange(len(lines))
                lines[at], lines[other] = lines[other], lines[at]
            case 5:
                lines[-1] = draw.choice([lines[-1].rstrip("\n"), lines[-1].replace("\n", "\r\n")])
        lines = lines or ["x: 1\n"]
    return "".join(lines)


@given(st.integers(0, 10**9))
def test_the_change_between_two_folders_makes_one_the_other(seed):
    """Written, read again and made, it gives the very texts; files come and go with it."""
    draw = random.Random(seed)
    after = {path: shaken(text, draw) for path, text in NET.items()}
    if draw.random() < 0.2:
        after["devices/r2.yaml"] = after.pop("devices/r1.yaml")
    found = change_between(NET, after, "shaken", 'what "for": # ever')
    if found is None:
        assert after == NET
        return
    again, problems = read_change(write_change(found), "c.yaml")
    assert problems == ()
    assert again is not None
    assert (again.name, again.purpose) == (found.name, found.purpose)
    assert with_changes(NET, [again]) == after
    assert with_changes(after, [again]) == after or any(
        isinstance(edit, TextEdit) for edit in again.edits
    )


@pytest.mark.parametrize(
    ("before", "after", "at"),
    [
        ("mtu: 1500", "mtu: 1400", "r1 interfaces e1 mtu"),
        ("in: quay-in", "in: wan-in", "r1 interfaces e2 filters in"),
        ("to-port: 53", "to-port: 54", "r1 filters quay-in rules 20 to-port"),
        ("via: 10.0.0.0}\nf", "via: 10.0.0.9}\nf", "r1 static 10.8.0.0/16 via"),
        ("      - {id: 20, permit: udp, to-port: 53}\n", "", "r1 filters quay-in rules 20"),
        ("[10.0.0.1/31]", "[10.0.0.1/31, 10.5.0.1/31]", "r1 interfaces e1 addresses"),
    ],
)
def test_what_can_be_told_by_places_is(before, after, at):
    texts = {**NET, "devices/r1.yaml": R1.replace(before, after, 1)}
    found = change_between(NET, texts, "one")
    assert found is not None
    assert str(found.edits[0]) == at
    assert with_changes(NET, [found]) == texts


def test_an_edit_that_is_off_is_kept_and_not_made():
    said = "{at: r1 interfaces e1 mtu, was: 1500, set: 9000, skip: true}"
    made = change(f"{said}\n{{at: r1 interfaces e2 mtu, set: 9000}}")
    assert "skip: true" in write_change(made)
    texts = with_changes(NET, (made,))
    assert "  e1: {addresses: [10.0.0.1/31], mtu: 1500}" in texts["devices/r1.yaml"]
    assert "    mtu: 9000" in texts["devices/r1.yaml"]
    # Nor does it conflict with what stands there by now.
    newer = {**NET, "devices/r1.yaml": R1.replace("mtu: 1500", "mtu: 1400")}
    assert with_change(newer, made).conflicts == ()
