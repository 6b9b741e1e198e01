"""One device from files of several formats: whose word counts, and what the others still give."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from routrel.answers.sources import sources_data
from routrel.convergence.converge import converge
from routrel.files.reader import read_texts
from routrel.formats.importing import import_files
from routrel.lens.tables import named_tables
from routrel.questions.agreement.reasons import agreement
from tests.engine.formats.bundles import addr, bundle
from tests.nets import device

OWN = device("r1", """
    interfaces:
      e0: {addresses: [10.0.0.1/24]}
      e1: {addresses: [10.1.0.1/24]}
    static: [{to: 10.9.0.0/16, via: 10.0.0.2}]
    """).encode()  # fmt: skip

#: As captured: the static route of OWN is there, and one more that no file has.
HELD = [
    {"type": "unicast", "dst": "10.9.0.0/16", "gateway": "10.0.0.2", "dev": "e0", "protocol": "static", "flags": []},
    {"type": "unicast", "dst": "10.8.0.0/16", "gateway": "10.1.0.2", "dev": "e1", "protocol": "static", "flags": []},
]  # fmt: skip
CAPTURES = bundle("r1", [addr("e0", "10.0.0.1/24"), addr("e1", "10.1.0.1/24")], HELD)

_V4 = "ietf-ipv4-unicast-routing"
RIB = {"ietf-routing:routing": {"ribs": {"rib": [{
    "name": "main", "address-family": f"{_V4}:ipv4-unicast", "default-rib": True,
    "routes": {"route": [{
        f"{_V4}:destination-prefix": "10.9.0.0/16", "source-protocol": "ietf-routing:static",
        "active": [None], "next-hop": {f"{_V4}:next-hop-address": "10.0.0.2"}}]}}]}}}  # fmt: skip
PORTS = {"ietf-interfaces:interfaces": {"interface": [
    {"name": "e0", "type": "iana-if-type:ethernetCsmacd", "enabled": True,
     "ietf-ip:ipv4": {"forwarding": True, "address": [{"ip": "10.0.0.1", "prefix-length": 24}]}}]}}  # fmt: skip


def yang(*parts):
    return json.dumps({key: value for part in parts for key, value in part.items()}).encode()


def state_of(made, tables="computed"):
    reading = read_texts(made.texts)
    assert reading.good, [f"{p.place} {p.text}" for p in reading.problems]
    return converge(replace(reading.network, tables=named_tables([tables])))


def verdicts(made):
    return {one.path: one.verdict.value for one in made.report.files}


@pytest.mark.parametrize(
    ("files", "configured", "differing"),
    [
        ({"r1.yaml": OWN, **CAPTURES}, "r1.yaml", ["10.8.0.0/16"]),
        ({"net/r1.yaml": OWN, "ribs/table.json": yang({"ietf-system:system": {"hostname": "r1"}}, RIB)}, "net/r1.yaml", ["10.0.0.0/24", "10.1.0.0/24"]),
        ({"json/r1.json": yang(PORTS), **CAPTURES}, "json/r1.yaml", ["10.1.0.0/24", "10.8.0.0/16", "10.9.0.0/16"]),
    ],
)  # fmt: skip
def test_the_first_configures_it_and_the_others_tell_what_was_read(files, configured, differing):
    made = import_files(files)
    assert set(verdicts(made).values()) == {"read"}
    state = state_of(made)
    (one,) = state.network.devices
    assert one.place.file == configured
    (table,) = agreement(state).tables
    assert sorted(str(d.prefix) for d in table.agreement.differences) == differing
    words = [(source.about, source.counts) for source in sources_data(state, one)]
    assert words == [("configuration", True), ("table of r1", False)]
    known = state_of(made, "known")
    assert [source.counts for source in sources_data(known, one)] == [True, True]
    said = [message.text for message in made.report.messages]
    assert f"r1 is configured by {configured}; its tables alone are taken from here" in said


def test_what_was_read_is_written_over_no_file_that_is_there():
    own = b"device,prefix,interface\nr2,10.7.0.0/16,e0\n"
    made = import_files({"r1.yaml": OWN, "r1-tables.csv": own, **CAPTURES})
    held = {table.device: table.file for table in read_texts(made.texts).network.observed}
    assert held == {"r1": "r1-tables-read.csv", "r2": "r1-tables.csv"}


def test_what_is_no_table_is_left_out_by_name():
    made = import_files({"r1.yaml": OWN, "json/r1.json": yang(PORTS)})
    assert verdicts(made)["json/r1.json"] == "refused"
    assert "no table of it is told here" in next(made.report.messages).text
    assert read_texts(made.texts).network.observed == ()


def test_a_table_of_a_vrf_that_the_configuration_does_not_have_is_named():
    red = [{**HELD[0], "table": "77"}, HELD[1]]
    captures = bundle("r1", [addr("e0", "10.0.0.1/24"), addr("e1", "10.1.0.1/24")], red)
    made = import_files({"r1.yaml": OWN, **captures})
    assert "r1.yaml gives r1 no VRF table-77, so its table is left out" in {
        message.text for message in made.report.messages
    }
    assert {table.vrf for table in state_of(made).network.observed} == {"default"}


def test_a_table_that_is_there_already_stays():
    """Our own observed table comes first; the captures bring nothing new."""
    own = b"device,prefix,protocol,next-hop,interface\nr1,10.9.0.0/16,static,10.0.0.2,e0\n"
    made = import_files({"r1.yaml": OWN, "tables.csv": own, **CAPTURES})
    assert verdicts(made)["r1/route4.json"] == "refused"
    (table,) = state_of(made).network.observed
    assert table.file == "tables.csv"
