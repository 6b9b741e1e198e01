"""What there is: sites, devices, segments and outside neighbours, and the cases kept with them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from routrel.answers.base import Answer, Placed, position
from routrel.answers.changes import EditData, edit_data
from routrel.answers.sources import SourceData, sources_data
from routrel.convergence.converge import State
from routrel.model.cases import Case
from routrel.model.findings import Severity
from routrel.model.network import Device, InterfaceKind, NamedAddress, Role
from routrel.topology.segments import Attachment, segment_names

__all__ = [
    "CaseData",
    "ChartData",
    "DeviceData",
    "NameData",
    "cases_data",
    "chart_data",
    "device_data",
    "names_data",
]


class ChartCostData(Answer):
    """What an interface counts outward."""

    protocol: str
    where: str
    cost: int


class ChartEndData(Placed):
    """An end of a segment, with its own costs outward, so that both directions can be seen."""

    device: str
    interface: str
    addresses: list[str]
    up: bool
    costs: list[ChartCostData]
    mtu: int
    bandwidth_bps: int | None
    vrf: str
    filters_in: list[str]
    filters_out: list[str]


class ChartOutsideEndData(Answer):
    """An outside network on a segment."""

    name: str
    address: str


class ChartSegmentData(Answer):
    """Interfaces that hear each other."""

    id: int
    name: str
    stated: bool
    ends: list[ChartEndData]
    outside: list[ChartOutsideEndData]
    risk_groups: list[RiskGroupData]  #: that take it, an end's interface or an outside line


class RiskGroupData(Answer):
    """What fails together, by name."""

    name: str
    title: str


class ChartSiteData(Answer):
    """A site."""

    name: str
    title: str
    description: str
    position: list[int] | None  #: where its author wants it, in free units


class ChartDeviceData(Placed):
    """A device, and how much there is about it."""

    name: str
    role: Role
    site: str | None
    description: str
    addresses: list[str]
    interfaces: int
    stateful: bool  #: it keeps track of connections
    errors: int
    warnings: int


class ChartOutsideData(Answer):
    """An outside network."""

    name: str
    title: str
    description: str
    prefixes: list[str]


class ChartData(Answer):
    """Sites, devices, segments with two or more ends, and outside networks."""

    sites: list[ChartSiteData]
    devices: list[ChartDeviceData]
    segments: list[ChartSegmentData]
    outside: list[ChartOutsideData]


class InterfaceData(Placed):
    """One interface of a device."""

    name: str
    kind: InterfaceKind
    description: str
    enabled: bool
    up: bool
    vrf: str
    addresses: list[str]
    mtu: int
    filters_in: list[str]
    filters_out: list[str]
    neighbours: list[str]


class DeviceData(Placed):
    """One device with its interfaces."""

    name: str
    role: Role
    site: str | None
    description: str
    interfaces: list[InterfaceData]
    sources: list[SourceData]


class CaseQuestionData(Answer):
    """The flow a case asks about."""

    source: str
    destination: str
    traffic: str
    size: int | None


class CaseRouteData(Answer):
    """The route a case asks about."""

    at: str
    to: str


class CaseData(Answer):
    """A complaint about a flow, or about a route."""

    name: str
    title: str
    story: str
    question: CaseQuestionData | None
    route: CaseRouteData | None
    fail: list[str]  #: what has failed when it is asked
    tables: list[str]  #: what devices are taken to forward by when it is asked
    edits: list[EditData]  #: what is made a change when it is asked


def chart_data(state: State) -> ChartData:
    """What there is, for charts."""
    costs = _costs(state)

    def end_data(end: Attachment) -> ChartEndData:
        return ChartEndData(
            device=end.device.name,
            interface=end.interface.name,
            addresses=[str(address) for address in end.interface.addresses],
            up=state.topology.is_up(*end.key),
            costs=costs.get(end.key, []),
            mtu=end.interface.mtu,
            bandwidth_bps=end.interface.bandwidth_bps,
            vrf=end.interface.vrf,
            filters_in=[use.filter for use in end.interface.filters_in],
            filters_out=[use.filter for use in end.interface.filters_out],
            **position(end.interface.place),
        )

    severities: dict[str, Counter[Severity]] = {}
    for finding in state.findings:
        if finding.device is not None:
            severities.setdefault(finding.device, Counter())[finding.severity] += 1
    nothing: Counter[Severity] = Counter()
    taken = _segments_of_groups(state)
    return ChartData(
        sites=[
            ChartSiteData(
                name=site.name,
                title=site.title or site.name,
                description=site.description,
                position=list(site.position) if site.position else None,
            )
            for site in state.network.sites
        ],
        devices=[
            ChartDeviceData(
                name=device.name,
                role=device.role,
                site=device.site,
                description=device.description,
                addresses=[str(own.ip) for each in device.interfaces for own in each.addresses],
                interfaces=len(device.interfaces),
                stateful=device.tracks_connections,
                errors=severities.get(device.name, nothing)[Severity.ERROR],
                warnings=severities.get(device.name, nothing)[Severity.WARNING],
                **position(device.place),
            )
            for device in state.network.devices
        ],
        segments=[
            ChartSegmentData(
                id=segment.id,
                name=segment.name,
                stated=segment.stated,
                ends=[end_data(end) for end in segment.ends],
                outside=[
                    ChartOutsideEndData(name=end.neighbour.name, address=str(end.address))
                    for end in segment.outside
                ],
                risk_groups=[
                    RiskGroupData(name=group.name, title=group.title)
                    for group in state.network.risk_groups
                    if segment.id in taken[group.name]
                ],
            )
            for segment in state.topology.segments
            if len(segment.ends) + len(segment.outside) > 1
        ],
        outside=[
            ChartOutsideData(
                name=outside.name,
                title=outside.title or outside.name,
                description=outside.description,
                prefixes=[str(prefix) for prefix in outside.prefixes],
            )
            for outside in state.network.outside
        ],
    )


def _segments_of_groups(state: State) -> dict[str, set[int]]:
    """The numbers of the segments that each risk group takes, by its name."""
    topology = state.topology
    numbers = segment_names(topology.segments)
    found: dict[str, set[int]] = {}
    for group in state.network.risk_groups:
        ends = [(end.device, end.interface) for end in group.interfaces]
        found[group.name] = {numbers[name] for name in group.links if name in numbers}
        found[group.name] |= {topology.segment_of[e].id for e in ends if e in topology.segment_of}
        found[group.name] |= {
            segment.id
            for segment in topology.segments
            if any(end.neighbour.name in group.lines for end in segment.outside)
        }
    return found


def _costs(state: State) -> dict[tuple[str, str], list[ChartCostData]]:
    """What each interface counts outward, by protocol and area or level; passive ones do not."""
    found: dict[tuple[str, str], list[ChartCostData]] = {}
    for protocol, result in state.results.items():
        for one in result.costs():
            entry = ChartCostData(protocol=protocol.id, where=one.where, cost=one.cost)
            found.setdefault(one.key, []).append(entry)
    return found


def device_data(state: State, device: Device) -> DeviceData:
    """One device with its interfaces."""
    neighbours = {
        interface.name: [str(end) for end in state.topology.neighbours(device.name, interface.name)]
        for interface in device.interfaces
    }
    return DeviceData(
        name=device.name,
        role=device.role,
        site=device.site,
        description=device.description,
        interfaces=[
            InterfaceData(
                name=interface.name,
                kind=interface.kind,
                description=interface.description,
                enabled=interface.enabled,
                up=state.topology.is_up(device.name, interface.name),
                vrf=interface.vrf,
                addresses=[str(address) for address in interface.addresses],
                mtu=interface.mtu,
                filters_in=[use.filter for use in interface.filters_in],
                filters_out=[use.filter for use in interface.filters_out],
                neighbours=neighbours[interface.name],
                **position(interface.place),
            )
            for interface in device.interfaces
        ],
        sources=sources_data(state, device),
        **position(device.place),
    )


class NameData(Placed):
    """An address that people have a name for."""

    name: str
    address: str


def names_data(names: Iterable[NamedAddress]) -> list[NameData]:
    """The names of addresses, one entry for each address of each."""
    return [
        NameData(name=named.name, address=str(address), **position(named.place))
        for named in names
        for address in named.addresses
    ]


def cases_data(cases: Iterable[Case]) -> list[CaseData]:
    """The complaints kept with a network."""
    return [
        CaseData(
            name=case.name,
            title=case.title,
            story=case.story.strip(),
            question=CaseQuestionData(
                source=case.question.source,
                destination=case.question.destination,
                traffic=case.question.traffic,
                size=case.question.size,
            )
            if case.question
            else None,
            route=CaseRouteData(at=case.route.at, to=case.route.to) if case.route else None,
            fail=list(case.fail),
            tables=list(case.tables),
            edits=[edit_data(edit) for edit in case.edits],
        )
        for case in cases
    ]
