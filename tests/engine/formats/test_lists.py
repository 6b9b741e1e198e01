"""Lists of others: whatever their columns are called, and what of them is not understood."""

from __future__ import annotations

from pathlib import Path

import pytest
from typer.testing import CliRunner

from routrel.cli.app import app
from routrel.files.reader import load_texts, read_texts
from routrel.formats.folders import gathered
from routrel.formats.importing import import_files
from routrel.formats.plain.lists import guessed
from routrel.lens.look import look_at_folder
from routrel.questions.exporting import written_as
from routrel.questions.flow import FlowQuestion, ask_flow
from tests.engine.formats.bundles import state_of
from tests.nets import device


@pytest.mark.parametrize(
    ("header", "kind", "columns"),
    [
        ("device,prefix,next-hop", "tables", {"device": "device", "prefix": "prefix", "next-hop": "next-hop"}),
        ("Hostname,Destination,Gateway,Proto,AD", "tables",
         {"device": "Hostname", "prefix": "Destination", "next-hop": "Gateway", "protocol": "Proto", "distance": "AD"}),
        ("Local Device,Local Port,Neighbor,Remote Port", "links",
         {"device-a": "Local Device", "interface-a": "Local Port", "device-b": "Neighbor", "interface-b": "Remote Port"}),
        ("host,location,role", "devices", {"device": "host", "site": "location", "role": "role"}),
        ("name,ip", "names", {"name": "name", "address": "ip"}),
        ("colour,size", None, None),
    ],
)  # fmt: skip
def test_columns_are_guessed_by_what_others_call_them(header, kind, columns):
    found = guessed(header.split(","))
    assert (found.kind.name if found else None) == kind
    if found:
        assert dict(found.columns) == columns


TABLES = """Hostname;Destination;Gateway;Dev;Proto;Used;Colour
r1;10.0.0.1/32;;eth0;local;*;red
r1;10.0.0.0/24;directly connected;eth0;direct;*;red
r1;default;10.0.0.2;;static;*;red
r1;10.9.0.0/16;10.0.0.3;;bgp;no;red
r1;10.8.0.0/16;blackhole;;static;*;red
r2;10.0.0.2/32;-;eth0;local;*;red
r2;10.0.0.0/24;-;eth0;direct;*;red
r2;bad;10.0.0.1;;static;*;red
"""


def test_devices_may_be_known_by_their_tables_alone():
    """r1 sends what goes elsewhere to r2, which has the subnet and no way onward."""
    made = import_files({"x.csv": TABLES.replace("r2;bad;10.0.0.1;;static;*;red\n", "").encode()})
    (report,) = made.report.files
    assert report.verdict.value == "partly"
    assert any("“Colour” is not understood" in m.text for m in report.messages)
    state = state_of(made)
    assert [str(i.addresses[0]) for d in state.network.devices for i in d.interfaces] == [
        "10.0.0.1/24",
        "10.0.0.2/24",
    ]
    asked = ask_flow(state, FlowQuestion(source="r1", destination="10.7.0.1", traffic="udp 53"))
    assert asked.forward.verdict.value == "no_route"
    assert [hop.device for hop in asked.forward.branches[0].hops] == ["r1", "r2"]
    dropped = ask_flow(state, FlowQuestion(source="r1", destination="10.8.0.1", traffic="udp 53"))
    assert (dropped.forward.verdict.value, dropped.forward.branches[0].cause.place.file) == (
        "discarded",
        "x.csv",
    )


def test_a_bad_entry_is_told_with_its_line():
    reading = read_texts(import_files({"x.csv": TABLES.encode()}).texts)
    assert [(p.place.line, p.text) for p in reading.problems] == [(9, "“bad” is no prefix")]


STORED = "# from the store\nkit;where to;thru\nr1;10.9.0.0/16;10.0.0.2\n"


@pytest.mark.parametrize(("said", "came"), [
    (["tables: device=kit, prefix=where to, next-hop=thru"], "r1,,10.9.0.0/16,,10.0.0.2,"),
    ([], "those of no list that is known"),
    (["tables: device=kat, prefix=where to"], "no list has the columns kat, where to"),
    (["tables: device=kit"], "tables need device and prefix"),
    (["tables: device"], "“device” is not COLUMN=THEIRS"),
    (["cables: device=kit"], "“cables” is no kind of list; there are tables, links"),
])  # fmt: skip
def test_the_command_line_may_say_what_columns_are(tmp_path, said, came):
    (tmp_path / "stored.csv").write_text(STORED)
    named = [part for one in said for part in ("--columns", one)]
    ran = CliRunner().invoke(
        app, ["import", str(tmp_path), "--out", str(tmp_path / "made"), *named]
    )
    written = tmp_path / "made" / "stored.csv"
    assert came in (written.read_text() if written.exists() else " ".join(ran.output.split()))
    assert ran.exit_code == (0 if written.exists() else 2)


def test_links_sites_and_names_stand_in_the_network_file():
    made = import_files({
        "links.csv": b"local device,local port,neighbor,remote port\nr1,e0,r2,e0\n",
        "devices.csv": b"host,location\nr1,north\n",
        "names.csv": b"name,ip\nprinter,10.0.0.77\n",
        "r1.yaml": device("r1", "interfaces: {e0: {addresses: [10.0.0.1/32]}}").encode(),
        "r2.yaml": device("r2", "interfaces: {e0: {addresses: [10.0.0.2/32]}}").encode(),
    })  # fmt: skip
    network = read_texts(made.texts).network
    assert [str(end) for end in network.links[0].ends] == ["r1:e0", "r2:e0"]
    assert [site.name for site in network.sites] == ["north"]
    assert [named.name for named in network.names] == ["printer"]


def test_an_export_as_lists_forwards_as_the_network_does():
    """Every table of the demo as CSV, read again: the same entries, so packets go the same ways
    as far as nothing filters, steers or translates them."""
    texts, _ = load_texts(Path("demo"))
    before = look_at_folder(Path("demo")).state
    written = written_as("csv", before, texts)
    after = state_of(import_files(written.files))
    for name in ("ald-core-1", "far-lan-1", "eas-leaf-2"):
        numbers = [state.rib.interning.table_numbers[name, "default"] for state in (before, after)]
        held = [
            {(r.prefix, r.protocol, r.next_hops and frozenset((h.interface, h.address) for h in r.next_hops), r.discard)
             for r in state.rib.table_routes(number)}
            for state, number in zip((before, after), numbers, strict=True)
        ]  # fmt: skip
        assert held[0] == held[1]
    question = FlowQuestion(source="ald-core-1", destination="far-lan-1", traffic="tcp 22")
    ways = [
        {
            tuple(hop.device for hop in branch.hops)
            for branch in ask_flow(state, question).forward.branches
        }
        for state in (before, after)
    ]
    assert ways[0] == ways[1]


def test_a_device_file_that_cannot_be_read_is_a_problem_beside_other_formats(tmp_path):
    """Nothing may be computed as if it were not there."""
    (tmp_path / "links.csv").write_text(
        "local device,local port,neighbor,remote port\nr1,e0,r2,e0\n"
    )
    (tmp_path / "x.json").write_text("{}")
    (tmp_path / "r1.yaml").write_bytes(b"\xff\xfe")
    view = look_at_folder(tmp_path)
    assert view.state is None
    assert ("r1.yaml", "unreadable") in {(p.place.file, p.code) for p in view.reading.problems}


def test_a_zip_that_leads_out_or_unpacks_to_too_much_is_refused(tmp_path):
    import zipfile

    from routrel.files.reader import UnusableInput

    with zipfile.ZipFile(tmp_path / "out.zip", "w") as archive:
        archive.writestr("../x.csv", "a")
    with zipfile.ZipFile(tmp_path / "huge.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("x.csv", bytes(300_000_000))
    for name, said in (("out.zip", "leads out of it"), ("huge.zip", "far more than it is")):
        with pytest.raises(UnusableInput, match=said):
            gathered([tmp_path / name])
