"""The device-file language: what is read, refused with its place, and written back."""

from __future__ import annotations

import ipaddress
import json
import textwrap
from pathlib import Path

import jsonschema
import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.files.language import RECORDS
from routrel.files.nodes import MAXIMUM_DEPTH
from routrel.files.observed import write_observed
from routrel.files.reader import UnusableInput, load_texts, read_folder, read_texts
from routrel.files.schema import json_schema
from routrel.files.writer import write_network
from routrel.model import network as model
from routrel.model.filters import Action, Filter, Match, PortRange, Rule

ROOT = Path(__file__).resolve().parents[3]
DEMO = ROOT / "demo"
REFERENCE = ROOT / "docs" / "device-file.md"

GOOD = """\
routrel: 1
device: r1
role: router
ospf: {router-id: 10.255.0.1}
interfaces:
  loop0: {kind: loopback, addresses: [10.255.0.1/32], ospf: {area: 0}}
  e1:
    addresses: [10.0.0.1/31]
    ospf: {area: 0, cost: 20}
    filters: {in: wan}
static:
  - {to: 0.0.0.0/0, via: 10.0.0.0, distance: 250}
filters:
  wan:
    rules:
      - {id: 10, permit: tcp, to-port: 443}
    default: deny
"""

#: What is changed in GOOD, and the problems that must come of it: line, column, code, part of text.
MISTAKES = [
    ("cost: 20", "cosst: 20", [(9, 21, "unknown_key", "“cosst”")]),
    ("cost: 20", "cost: 0", [(9, 27, "bad_value", "1 to 65535")]),
    ("cost: 20", 'cost: "20"', [(9, 27, "bad_value", "“20”")]),
    ("10.0.0.1/31", "10.0.0.300/31", [(8, 17, "bad_value", "10.0.0.300/31")]),
    ("10.0.0.1/31", "10.0.0.0/24", [(8, 17, "bad_address", "subnet 10.0.0.0/24 itself")]),
    ("10.0.0.1/31", "10.0.0.255/24", [(8, 17, "bad_address", "broadcast")]),
    ("10.0.0.1/31", "10.0.0.1", [(8, 17, "bad_value", "prefix length")]),
    ("0.0.0.0/0", "10.0.0.1/8", [(12, 10, "bad_value", "10.0.0.1/8")]),
    ("via: 10.0.0.0, ", "", [(12, 5, "bad_static", "leads nowhere")]),
    ("in: wan", "in: van", [(10, 19, "unknown_filter", "“van”")]),
    ("permit: tcp", "permit: any", [(16, 9, "bad_rule", "ports")]),
    ("permit: tcp, ", "", [(16, 9, "bad_rule", "permit")]),
    ("role: router", "role: rooter", [(3, 7, "bad_value", "rooter")]),
    ("    default: deny\n", "", [(14, 3, "missing_key", "default"), (10, 19, "unknown_filter", "wan")]),
    ("device: r1", "device: r1\ndevice: r2", [(3, 1, "duplicate_key", "line 2")]),
    ("device: r1", "device: r1\nvlans: {}", [(3, 1, "not_computed", "vlans")]),
    ("role: router", "role: &x router", [(3, 7, "alias", "anchors")]),
    ("role: router", "role: !!python/name:os.system x", [(3, 7, "tag", "python")]),
    ("router-id: 10.255.0.1}", "router-id: 10.255.0.1", [(5, None, "yaml_syntax", "")]),
    ("role: router", "role: [router]", [(3, 7, "wrong_type", "")]),
    ("area: 0, cost", "cost", [(9, 11, "missing_key", "area")]),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "expected"), MISTAKES, ids=[m[1][:20] for m in MISTAKES])
def test_a_mistake_is_told_with_its_place(old, new, expected):
    """Each mistake gives exactly its own problems, with line and column."""
    assert old in GOOD
    problems = read_texts({"r1.yaml": GOOD.replace(old, new, 1)}).problems
    found = [(p.place.line, p.place.column, p.code, p.text) for p in problems]
    assert len(found) == len(expected), found
    for line, column, code, part in expected:
        assert any(
            f[0] == line and column in (None, f[1]) and f[2] == code and part in f[3] + p.suggestion
            for f, p in zip(found, problems, strict=True)
        ), (line, column, code, found)


def test_all_problems_of_all_files_come_in_one_run():
    """Problems do not hide each other, and a near word is suggested."""
    broken = GOOD.replace("cost: 20", "cosst: 20").replace("0.0.0.0/0", "0.0.0.1/0")
    reading = read_texts({"a.yaml": broken, "b.yaml": "device: [", "c.yaml": "", "d.yaml": "x: 1"})
    assert [(p.place.file, p.place.line, p.code) for p in reading.problems] == [
        ("a.yaml", 9, "unknown_key"),
        ("a.yaml", 12, "bad_value"),
        ("b.yaml", 1, "yaml_syntax"),
        ("c.yaml", 1, "empty_file"),
        ("d.yaml", 1, "unknown_file"),
    ]
    assert "did you mean “cost”?" in [p.suggestion for p in reading.problems]


def test_names_must_be_known_across_files():
    """Sites, link ends, group members and static interfaces are looked up in all files."""
    net = textwrap.dedent("""\
        routrel: 1
        network: N
        links:
          l1: {between: ["r1:e9", "r2:e1"]}
        groups:
          g: {members: [r1, 10.0.0.0/8, nobody]}
        """)
    reading = read_texts({"n.yaml": net, "r1.yaml": GOOD + "site: nowhere\n"})
    assert {p.code for p in reading.problems} == {
        "unknown_interface",
        "unknown_device",
        "unknown_member",
        "unknown_site",
    }


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("[" * 5000, "too_deep"),
        ("a: " + "{b: " * (MAXIMUM_DEPTH + 1) + "1" + "}" * (MAXIMUM_DEPTH + 1), "too_deep"),
        ("a: &a [x, x]\nb: &b [*a, *a]\nc: [*b, *b]", "alias"),
        ("device: r1\x00", "not_text"),
        ("device: r1\n---\ndevice: r2", "several_documents"),
        ("#" * (17 * 1024 * 1024), "too_large"),
    ],
    ids=["brackets", "depth", "alias bomb", "control", "documents", "size"],
)
def test_hostile_files_are_refused(text, code):
    """Deep nesting, aliases, oversize: one problem, and quickly."""
    assert [p.code for p in read_texts({"x.yaml": text}).problems] == [code]


def test_a_folder_without_files_is_unusable(tmp_path):
    """Nothing to read is misuse, a file that is no text a problem of that file."""
    with pytest.raises(UnusableInput):
        read_folder(tmp_path)
    with pytest.raises(UnusableInput):
        read_folder(tmp_path / "missing")
    (tmp_path / "x.yaml").write_bytes(b"\xff\xfe")
    assert [p.code for p in read_folder(tmp_path).problems] == ["not_text"]


def test_the_demo_survives_writing_and_reading():
    """Read, write, read gives an equal network, and writing again the same text."""
    first = read_folder(DEMO)
    texts = _written(first.network)
    again = read_texts(texts)
    assert again.problems == ()
    assert again.network == first.network
    assert _written(again.network) == texts


def _written(network):
    return write_network(network) | {"observed/tables.csv": write_observed(network.observed)}


NAMES = st.from_regex(r"[a-z][a-z0-9]{0,6}", fullmatch=True).filter(
    lambda name: name not in ("default",)
)
PREFIXES = st.builds(
    lambda number, length: ipaddress.ip_network((number >> (32 - length) << (32 - length), length)),
    st.integers(0, 2**32 - 1),
    st.integers(0, 32),
)
PORTS = st.tuples(st.integers(0, 65535), st.integers(0, 65535)).map(lambda p: PortRange(*sorted(p)))
MATCHES = st.builds(
    Match,
    protocol=st.sampled_from([6, 17, 132]),
    sources=st.lists(PREFIXES, max_size=3).map(tuple),
    destinations=st.lists(PREFIXES, max_size=3).map(tuple),
    source_ports=st.lists(PORTS, max_size=2).map(tuple),
    destination_ports=st.lists(PORTS, max_size=2).map(tuple),
) | st.builds(Match, protocol=st.none() | st.integers(0, 255))
RULES = st.lists(st.tuples(MATCHES, st.sampled_from(Action), st.text(max_size=8)), max_size=4).map(
    lambda rows: tuple(
        Rule(id=number, match=match, action=action, description=text)
        for number, (match, action, text) in enumerate(rows, start=1)
    )
)


@settings(max_examples=60, deadline=None)
@given(rules=RULES, default=st.sampled_from(Action), name=NAMES, text=st.text(max_size=20))
def test_any_filter_survives_writing_and_reading(rules, default, name, text):
    """Whatever a filter says, and whatever text describes it, reads back equal."""
    printable = "".join(c for c in text if c.isprintable())
    rules = tuple(
        Rule(
            id=r.id,
            match=r.match,
            action=r.action,
            description="".join(c for c in r.description if c.isprintable()),
        )
        for r in rules
    )
    made = model.Network(
        name="n",
        devices=(
            model.Device(
                name=name,
                role=model.Role.ROUTER,
                description=printable,
                vrfs=(model.Vrf(name="default"),),
                filters=(Filter(name="f", rules=rules, default=default),),
            ),
        ),
    )
    reading = read_texts(write_network(made))
    assert reading.problems == ()
    assert reading.network == made


def test_the_schema_accepts_the_demo_and_refuses_mistakes():
    """Editors that use the JSON Schema agree with the reader on the demo and on plain mistakes."""
    validator = jsonschema.Draft202012Validator(json_schema())
    texts, _ = load_texts(DEMO)
    for path, text in ((p, t) for p, t in texts.items() if p.endswith(".yaml")):
        assert validator.is_valid(yaml.safe_load(text)), path
    for mistake in ("cosst: 20", "cost: 0"):
        assert not validator.is_valid(yaml.safe_load(GOOD.replace("cost: 20", mistake)))
    published = json.loads((ROOT / "docs" / "device-file.schema.json").read_text())
    assert published == json.loads(json.dumps(json_schema())), "run bin/update-published"


def test_the_reference_is_complete_and_its_examples_read():
    """Every key stands in the reference under its record; every example there reads cleanly."""
    text = REFERENCE.read_text()
    for title, record in RECORDS.items():
        start = text.index(f"### {title}\n")
        section = text[start : text.find("\n### ", start + 1)]
        for field in record.fields:
            assert f"| `{field.key}` |" in section, f"{title}: {field.key} is not in the reference"
        for key in record.reserved:
            assert f"`{key}`" in section, f"{title}: reserved {key} is not in the reference"
    examples = [part.split("```")[0] for part in text.split("```yaml\n")[1:]]
    assert len(examples) >= 5
    reading = read_texts({f"{n}.yaml": example for n, example in enumerate(examples)})
    assert [f"{p.place} {p.text}" for p in reading.problems] == []
    template = (ROOT / "docs" / "device-template.yaml").read_text()
    network = "routrel: 1\nnetwork: T\nsites: {north: {title: North}}\n"
    assert read_texts({"a.yaml": template, "network.yaml": network}).problems == ()


def test_very_many_problems_are_counted_and_the_first_are_kept():
    """3,000 unknown keys: a thousand are told, in order, with texts of a bounded length."""
    long = "k" * 900  # a longer one is no key of YAML
    keys = [f"{long}: 1", *(f"x{number}: 1" for number in range(2999))]
    reading = read_texts({"r.yaml": GOOD + "\n".join(keys) + "\n", "s.yaml": "x: 1"})
    assert (len(reading.problems), reading.problem_count) == (1000, 3001)
    assert [p.place.line for p in reading.problems] == sorted(
        p.place.line for p in reading.problems
    )
    assert all(len(p.text) <= 600 for p in reading.problems)


@pytest.mark.parametrize("spelled", [r"a\0b", r"a\x01b", r"a\ud800b"])
def test_a_value_cannot_spell_what_no_file_may_hold(spelled):
    """Escapes of quoted values: NUL, another control character, half of a surrogate pair."""
    text = f'routrel: 1\ndevice: r\nrole: router\nhostname: "x"\ndescription: "{spelled}"\n'
    codes = {p.code: p.place.line for p in read_texts({"r.yaml": text}).problems}
    assert codes.get("not_text", codes.get("yaml_syntax")) == 5
