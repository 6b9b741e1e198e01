"""A network in formats of others: its files, and what these have no place for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from routrel.convergence.converge import State
from routrel.files.announcements import write_announcements
from routrel.files.csv_rows import written_rows
from routrel.files.observed import write_observed
from routrel.formats.mrt.writing import write_mrt
from routrel.formats.plain.graphml import write_graphml
from routrel.formats.plain.lists import KINDS
from routrel.formats.yang.writing import device_json, lost_of, network_json
from routrel.model.observed import Drops, ObservedHop, ObservedRoute, ObservedTable
from routrel.rib.table import Route

__all__ = ["Written", "computed_tables", "links_of", "written_as"]

Links = dict[str, tuple[tuple[str, str], tuple[str, str]]]


@dataclass(frozen=True, slots=True)
class Written:
    """Files by path, and what of the network has no place in them."""

    files: Mapping[str, bytes]
    single: bool = False  #: whether it is one file, whatever its name
    lost: tuple[str, ...] = field(default=())


def written_as(form: str, state: State, texts: Mapping[str, str]) -> Written:
    """A network in a format.

    Args:
        form: yaml, rfc7951, csv, graphml or mrt.
        texts: Its files.
    Raises:
        LostInMrt: for mrt: something cannot be told there at all.
    """
    writers: dict[str, Callable[[State, Mapping[str, str]], Written]] = {
        "yaml": _yaml, "rfc7951": _yang, "csv": _csv, "graphml": _graphml, "mrt": _mrt,
    }  # fmt: skip
    return writers[form](state, texts)


def _yaml(state: State, texts: Mapping[str, str]) -> Written:
    """The network's files as they stand: what was imported is readable already."""
    return Written({path: text.encode() for path, text in texts.items()})


def _yang(state: State, texts: Mapping[str, str]) -> Written:
    files: dict[str, bytes] = {}
    lost: list[str] = []
    for device in state.network.devices:
        text = device_json(device)
        files[f"{device.name}.json"] = text.encode()
        lost += lost_of(device, text)
    links: Links = {}
    for link in state.network.links:
        ends = [(end.device, end.interface) for end in link.ends]
        if len(ends) == 2:
            links[link.name] = ends[0], ends[1]
    if links:
        files["topology.json"] = network_json(links).encode()
    lost += (
        f"link {link.name}, of more than two ends"
        for link in state.network.links
        if len(link.ends) != 2
    )
    for kind, items in (
        ("outside network", state.network.outside), ("site", state.network.sites),
        ("group", state.network.groups), ("risk group", state.network.risk_groups),
        ("promise", state.network.promises),
    ):  # fmt: skip
        lost += (f"{kind} {item.name}" for item in items)
    return Written(files, lost=tuple(lost))


def _csv(state: State, texts: Mapping[str, str]) -> Written:
    network = state.network
    announced = [(one.name, said) for one in network.outside for said in one.announces]
    links = links_of(state)
    files = {
        "tables.csv": write_observed(computed_tables(state)),
        "links.csv": written_rows(
            KINDS["links"].columns,
            [(name, *one, *two, "") for name, (one, two) in links.items() if one[1] and two[1]],
        ),
        "devices.csv": written_rows(
            KINDS["devices"].columns,
            [(d.name, d.role.value, d.site or "", d.description) for d in network.devices],
        ),
        "outside.csv": written_rows(
            KINDS["outside"].columns,
            [
                (
                    one.name,
                    one.autonomous_system or "",
                    one.router_id or "",
                    " ".join(map(str, one.addresses)),
                    " ".join(map(str, one.prefixes)),
                )
                for one in network.outside
            ],
        ),
        "names.csv": written_rows(
            KINDS["names"].columns,
            [(named.name, address) for named in network.names for address in named.addresses],
        ),
    }
    if announced:
        files["announcements.csv"] = write_announcements(announced)
    return Written(
        {path: text.encode() for path, text in files.items()},
        lost=("configurations: lists have tables, links, devices, names and announcements",),
    )


def _graphml(state: State, texts: Mapping[str, str]) -> Written:
    text = write_graphml(state.network, links_of(state))
    return Written({"network.graphml": text.encode()}, single=True)


def _mrt(state: State, texts: Mapping[str, str]) -> Written:
    content = write_mrt(state.network.outside)
    silent = [one.name for one in state.network.outside if one.autonomous_system is None]
    lost = [f"{name}, which speaks no BGP" for name in silent]
    lost += (f"device {device.name}" for device in state.network.devices)
    return Written({"announcements.mrt": content}, single=True, lost=tuple(lost))


def links_of(state: State) -> Links:
    """The links between devices by name; of a segment of more ends each end's to the segment."""
    found: Links = {}
    for segment in state.topology.segments:
        ends = [end.key for end in segment.ends]
        if len(ends) == 2:
            found[segment.name] = (ends[0], ends[1])
        elif len(ends) > 2:
            for device, interface in ends:
                name = f"{segment.name} {device}:{interface}"
                found[name] = ((device, interface), (segment.name, ""))
    return found


def computed_tables(state: State) -> Iterator[ObservedTable]:
    """All active routes of all tables, in the form of tables that were read."""
    for number, (device, vrf) in enumerate(state.rib.interning.tables):
        routes = tuple(_observed(route) for route in state.rib.table_routes(number))
        if routes:
            yield ObservedTable(
                device=device, vrf=vrf, file="", routes=routes, source="computed by Routrel"
            )


def _observed(route: Route) -> ObservedRoute:
    drops = None
    if route.discard:
        drops = Drops.PASS_ON if route.pass_on else Drops.DISCARD
    return ObservedRoute(
        route.prefix,
        route.protocol.id,
        ()
        if drops
        else tuple(ObservedHop(hop.interface, hop.address, hop.weight) for hop in route.next_hops),
        0,
        metric=route.metric,
        distance=route.distance,
        drops=drops,
    )
