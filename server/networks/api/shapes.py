"""The shapes of answers, for the OpenAPI description from which the web app's client is made.

The engine produces answers as plain data; these serializers only describe them.
"""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import inline_serializer
from rest_framework import serializers as s

from routrel.forwarding.evidence import Result, StageName, Verdict
from routrel.model.findings import Severity

__all__ = [
    "BgpSessionListShape",
    "BounceShape",
    "CaseShape",
    "ChartShape",
    "DeviceShape",
    "FileShape",
    "FileTextShape",
    "FindingShape",
    "FlowShape",
    "FoundShape",
    "HoldersShape",
    "OneFlowShape",
    "PolicyShape",
    "PolicyTrialShape",
    "RemediesShape",
    "RouteShape",
    "TablePageShape",
    "WhyShape",
    "WouldTakeShape",
]


def _text(**options: Any) -> s.CharField:
    return s.CharField(**options)


def _maybe() -> s.CharField:
    return s.CharField(allow_null=True)


def _number() -> s.IntegerField:
    return s.IntegerField(allow_null=True)


def _place() -> dict[str, s.Field]:
    return {"file": _maybe(), "line": _number(), "column": _number()}


def _choice(enum: Any) -> s.ChoiceField:
    return s.ChoiceField(choices=[(item.value, item.value) for item in enum])


def _texts() -> s.ListField:
    return s.ListField(child=s.CharField())


def _shape(
    title: str,
    /,
    *,
    many: bool = False,
    allow_null: bool = False,
    required: bool = True,
    **fields: Any,
) -> Any:
    options: dict[str, Any] = {"allow_null": True} if allow_null else {}
    if not required:
        options["required"] = False
    return inline_serializer(name=title, fields=fields, many=many, **options)


class PlacedShape(s.Serializer):
    """Something that stands, or was decided, on a line of a file."""

    file = s.CharField(allow_null=True)
    line = s.IntegerField(allow_null=True)
    column = s.IntegerField(allow_null=True)


class FindingShape(PlacedShape):
    severity = s.ChoiceField(choices=[(item.value, item.value) for item in Severity])
    code = s.CharField()
    text = s.CharField()
    suggestion = s.CharField(allow_blank=True)
    device = s.CharField(allow_null=True)
    also = PlacedShape(many=True)


class FileShape(s.Serializer):
    path = s.CharField()
    lines = s.IntegerField()


class FileTextShape(s.Serializer):
    path = s.CharField()
    text = s.CharField()


def _next_hop(name: str, many: bool = False, **options: Any) -> Any:
    return inline_serializer(
        name=name,
        many=many,
        fields={
            "address": _maybe(),
            "interface": _maybe(),
            "device": _maybe(),
            "weight": s.IntegerField(),
            "via": _maybe(),
        },
        **options,
    )


class RouteShape(PlacedShape):
    device = s.CharField()
    vrf = s.CharField()
    prefix = s.CharField()
    protocol = s.CharField()
    path_type = s.CharField(allow_null=True)
    distance = s.IntegerField()
    metric = s.IntegerField()
    tag = s.IntegerField()
    discard = s.BooleanField()
    next_hops = _next_hop("NextHop", many=True)


class TitledRouteShape(RouteShape):
    title = s.CharField()


class HeldRouteShape(TitledRouteShape):
    falls_back = s.BooleanField()


class HoldersShape(s.Serializer):
    asked = s.CharField()
    matched = s.CharField(allow_null=True)
    sentence = s.CharField()
    groups = _shape(
        "ExitGroup",
        many=True,
        exit=_text(),
        falls_back=s.BooleanField(),
        routes=HeldRouteShape(many=True),
    )
    lacking = _shape("LackingTable", many=True, device=_text(), vrf=_text())


class CandidateValuesShape(s.Serializer):
    """Values of all candidates; the rest depends on the protocol."""

    usable = s.BooleanField()
    problem = s.CharField(allow_null=True)
    distance = s.IntegerField()
    path_type = s.CharField(allow_null=True)
    metric = s.IntegerField()
    tag = s.IntegerField()
    discard = s.BooleanField()
    set_by = _shape(
        "SetBy",
        many=True,
        required=False,
        attribute=_text(),
        value=_text(allow_blank=True),
        device=_text(),
        policy=_text(),
        statement=_text(),
        file=_maybe(),
        line=_number(),
    )


class CandidateShape(PlacedShape):
    protocol = s.CharField()
    title = s.CharField()
    next_hops = _next_hop("CandidateNextHop", many=True)
    advertiser = s.CharField(allow_null=True)
    lost_on = s.CharField(allow_null=True)
    values = CandidateValuesShape()
    rungs = _shape("CandidateRung", many=True, id=_text(), title=_text(), text=_text())
    also = PlacedShape(many=True)


class AbsenceStepShape(PlacedShape):
    kind = s.CharField()
    device = s.CharField(allow_null=True)
    text = s.CharField()
    suggestion = s.CharField(allow_blank=True)


class AbsenceShape(s.Serializer):
    sentence = s.CharField()
    prefix = s.CharField(allow_null=True)
    originators = _texts()
    reached = _texts()
    stopped_between = s.ListField(child=s.CharField(), allow_null=True)
    reason = s.CharField(allow_null=True)
    steps = AbsenceStepShape(many=True)


class WhyShape(s.Serializer):
    device = s.CharField()
    vrf = s.CharField()
    matched = s.CharField(allow_null=True)
    sentence = s.CharField()
    why = s.CharField()
    behind = RouteShape(many=True)
    candidates = CandidateShape(many=True)
    absent = AbsenceShape(allow_null=True)
    redistributions = AbsenceStepShape(many=True)
    doubt = s.CharField(allow_null=True)


class BgpSessionShape(PlacedShape):
    """One configured BGP neighbour."""

    device = s.CharField()
    vrf = s.CharField()
    neighbour = s.CharField()
    local_address = s.CharField(allow_null=True)
    remote = s.CharField(allow_null=True)
    outside = s.BooleanField()
    description = s.CharField(allow_blank=True)
    local_as = s.IntegerField()
    remote_as = s.IntegerField()
    relation = s.CharField()
    reflector_client = s.BooleanField()
    state = s.CharField()
    reason = s.CharField(allow_null=True)
    families = _texts()
    taken = s.IntegerField(allow_null=True)
    sent = s.IntegerField(allow_null=True)
    export = _texts()
    configured = PlacedShape()

    def get_fields(self) -> dict[str, s.Field]:
        """`import` is no Python identifier."""
        return {**super().get_fields(), "import": _texts()}


class BgpSessionListShape(s.Serializer):
    sentence = s.CharField()
    sessions = BgpSessionShape(many=True)


class MovesShape(s.Serializer):
    prefixes = s.IntegerField()
    devices = s.IntegerField()
    flows = s.ListField(child=s.CharField())
    flows_asked = s.IntegerField()


class BounceShape(s.Serializer):
    """What a session changes that goes down and comes up again. None: routing never rests."""

    sentence = s.CharField()
    device = s.CharField()
    vrf = s.CharField()
    neighbour = s.CharField()
    remote = s.CharField()
    while_down = MovesShape(allow_null=True)
    afterwards = MovesShape(allow_null=True)
    routes = _shape(
        "RouteOtherwise",
        many=True,
        device=_text(),
        vrf=_text(),
        prefix=_text(),
        before=_text(),
        after=_text(),
    )
    routes_in_all = s.IntegerField()


class PolicyShape(PlacedShape):
    device = s.CharField()
    policy = s.CharField()
    description = s.CharField(allow_blank=True)
    default = s.CharField()
    statements = s.IntegerField()
    bound = _texts()


class PolicyStepShape(PlacedShape):
    policy = s.CharField()
    statement = s.CharField()
    matched = s.BooleanField()
    failed = s.CharField(allow_null=True)
    result = s.CharField(allow_null=True)
    changes = _shape("PolicyChange", many=True, attribute=_text(), before=_text(), after=_text())
    called = s.ListField(child=s.DictField())


class PolicyTrialShape(PlacedShape):
    sentence = s.CharField()
    device = s.CharField()
    policy = s.CharField()
    result = s.CharField()
    by_default = s.BooleanField()
    statement = s.CharField(allow_null=True)
    steps = PolicyStepShape(many=True)
    not_reached = _shape("UnreachedStatement", many=True, statement=_text(), **_place())
    before = s.DictField()
    route = s.DictField(allow_null=True)


class ProposedEditShape(PlacedShape):
    text = s.CharField()
    device = s.CharField()
    vrf = s.CharField()
    neighbour = s.CharField(allow_null=True)
    direction = s.CharField(allow_null=True)
    attribute = s.CharField()
    value = s.JSONField()
    target = s.CharField()


class WinningEditShape(ProposedEditShape):
    moves = _shape(
        "Moves",
        prefixes=s.IntegerField(),
        devices=s.IntegerField(),
        flows=_texts(),
        flows_asked=s.IntegerField(),
    )


class TriedEditShape(ProposedEditShape):
    then_loses_on = s.CharField()


class WouldTakeShape(s.Serializer):
    """What it would take for one candidate that lost."""

    title = s.CharField()
    advertiser = s.CharField(allow_null=True)
    neighbour = s.CharField(allow_null=True)
    lost_on = s.CharField()
    sentence = s.CharField()
    changes = WinningEditShape(many=True)
    tried = TriedEditShape(many=True)


class TableRowShape(s.Serializer):
    prefix = s.CharField()
    left = TitledRouteShape(allow_null=True)
    right = TitledRouteShape(allow_null=True)


class TablePageShape(s.Serializer):
    total = s.IntegerField()
    matching = s.IntegerField()
    offset = s.IntegerField()
    rows = TableRowShape(many=True)


class TriedRuleShape(PlacedShape):
    rule = s.IntegerField()
    text = s.CharField()
    mismatch = s.CharField(allow_null=True)


class EndsShape(s.Serializer):
    source_port = s.IntegerField(allow_null=True)
    destination = s.CharField()
    destination_port = s.IntegerField(allow_null=True)

    def get_fields(self) -> dict[str, s.Field]:
        """`source` is taken by the serializer class itself."""
        return {**super().get_fields(), "source": s.CharField()}


class EvidenceShape(s.Serializer):
    """What a stage saw. `kind` tells which of the other fields are there."""

    kind = s.ChoiceField(
        choices=[
            (k, k)
            for k in (
                "filter",
                "zones",
                "reverse_path",
                "translation",
                "steering",
                "route",
                "receive",
                "ttl",
                "mtu",
                "neighbour",
                "loop",
                "fragments",
                "answer",
            )
        ]
    )
    interface = s.CharField(allow_null=True, required=False)
    direction = s.CharField(required=False)
    filter = s.CharField(required=False)
    action = s.CharField(required=False)
    rule = s.IntegerField(allow_null=True, required=False)
    rule_text = s.CharField(allow_null=True, required=False)
    tried = TriedRuleShape(many=True, required=False)
    route = RouteShape(allow_null=True, required=False)
    protocol_text = s.CharField(allow_null=True, required=False)
    behind = RouteShape(many=True, required=False)
    next_hop = _next_hop("EvidenceNextHop", allow_null=True, required=False)
    destination = s.CharField(required=False)
    table = s.CharField(required=False)
    address = s.CharField(required=False)
    segment = s.CharField(required=False)
    device = s.CharField(allow_null=True, required=False)
    outside = s.CharField(allow_null=True, required=False)
    arrived = s.IntegerField(required=False)
    mtu = s.IntegerField(required=False)
    size = s.IntegerField(allow_null=True, required=False)
    devices = s.ListField(child=s.CharField(), required=False)
    zones = s.ListField(child=s.CharField(allow_null=True), allow_null=True, required=False)
    session = s.CharField(allow_null=True, required=False)
    mode = s.CharField(allow_null=True, required=False)
    side = s.CharField(required=False)
    before = EndsShape(required=False)
    after = EndsShape(required=False)
    choices = s.IntegerField(required=False)
    steering = s.CharField(required=False)
    virtual_router = s.IntegerField(allow_null=True, required=False)
    asked = EndsShape(required=False)
    answered = EndsShape(required=False)
    translator = s.CharField(allow_null=True, required=False)
    file = s.CharField(allow_null=True, required=False)
    line = s.IntegerField(allow_null=True, required=False)
    column = s.IntegerField(allow_null=True, required=False)

    def get_fields(self) -> dict[str, s.Field]:
        """`source` is taken by the serializer class itself."""
        return {**super().get_fields(), "source": s.CharField(required=False)}


class StageShape(s.Serializer):
    stage = _choice(StageName)
    title = s.CharField()
    result = _choice(Result)
    text = s.CharField()
    evidence = EvidenceShape(allow_null=True)


class HopShape(s.Serializer):
    device = s.CharField()
    vrf = s.CharField(allow_blank=True)
    out = s.CharField(allow_null=True)
    outside = s.BooleanField()
    stages = StageShape(many=True)

    def get_fields(self) -> dict[str, s.Field]:
        """`in` is no Python identifier."""
        return {**super().get_fields(), "in": _maybe()}


class CauseShape(PlacedShape):
    device = s.CharField()
    kind = s.CharField()
    interface = s.CharField(allow_null=True)
    direction = s.CharField(allow_null=True)
    filter = s.CharField(allow_null=True)
    rule = s.IntegerField(allow_null=True)


class BranchShape(s.Serializer):
    share = s.FloatField()
    share_text = s.CharField()
    verdict = _choice(Verdict)
    outside = s.CharField(allow_null=True)
    path_mtu = s.IntegerField(allow_null=True)
    entry = s.CharField(allow_null=True)
    hops = HopShape(many=True)
    cause = CauseShape(allow_null=True)


class EndpointShape(s.Serializer):
    text = s.CharField()
    name = s.CharField()
    address = s.CharField()
    note = s.CharField(allow_blank=True)


class ObstacleShape(CauseShape):
    verdict = _choice(Verdict)
    side = s.ChoiceField(choices=[("access", "access"), ("routing", "routing")])
    text = s.CharField()
    stage = _choice(StageName)
    evidence = EvidenceShape(allow_null=True)
    absence = AbsenceShape(allow_null=True)


class DefaultOnlyShape(s.Serializer):
    device = s.CharField()
    text = s.CharField()
    absence = AbsenceShape()


class DirectionShape(s.Serializer):
    verdict = _choice(Verdict)
    routing_verdict = _choice(Verdict)
    sentence = s.CharField()
    destination = EndpointShape()
    branches = BranchShape(many=True)
    unfollowed = s.FloatField()
    cause = CauseShape(allow_null=True)
    obstacles = ObstacleShape(many=True)
    defaults = DefaultOnlyShape(many=True)

    def get_fields(self) -> dict[str, s.Field]:
        """`source` is taken by the serializer class itself."""
        return {**super().get_fields(), "source": EndpointShape()}


class FlowOutcomeShape(s.Serializer):
    name = s.CharField()
    sentence = s.CharField()
    verdict = _choice(Verdict)
    return_verdict = s.ChoiceField(choices=[(v.value, v.value) for v in Verdict], allow_null=True)
    ways = s.ListField(child=_texts())
    return_ways = s.ListField(child=_texts())


class DeciderShape(s.Serializer):
    device = s.CharField()
    vrf = s.CharField()
    lines = PlacedShape(many=True)


class FlowDoubtShape(s.Serializer):
    """Where routes depend on who settled first: who decides, and the flow in each outcome."""

    searched = s.BooleanField()
    deciders = DeciderShape(many=True)
    outcomes = FlowOutcomeShape(many=True)


class OneFlowShape(s.Serializer):
    """The answer about one source and one destination."""

    sentence = s.CharField()
    traffic = s.CharField()
    doubt = FlowDoubtShape(allow_null=True)
    forward = DirectionShape()

    def get_fields(self) -> dict[str, s.Field]:
        """`return` is no Python identifier."""
        return {**super().get_fields(), "return": DirectionShape(allow_null=True)}


class PairShape(s.Serializer):
    destination = s.CharField()

    def get_fields(self) -> dict[str, s.Field]:
        """`source` is taken by the serializer class itself."""
        return {**super().get_fields(), "source": s.CharField()}


class FlowClassShape(s.Serializer):
    """Traffic that the network treats alike; `asked` is a pair of it, to ask for its answer.

    `answer` is the command line's; it is null here.
    """

    asked = PairShape(allow_null=True)
    pairs = PairShape(many=True)
    verdict = s.ChoiceField(choices=[(v.value, v.value) for v in Verdict], allow_null=True)
    return_verdict = s.ChoiceField(choices=[(v.value, v.value) for v in Verdict], allow_null=True)
    sentence = s.CharField()
    answer = OneFlowShape(allow_null=True)


class FlowShape(OneFlowShape):
    classes = FlowClassShape(many=True)


class LinesShape(s.Serializer):
    """Lines of one file that change; `before` and `after` may be empty."""

    file = s.CharField()
    line = s.IntegerField()
    before = s.CharField(allow_blank=True)
    after = s.CharField(allow_blank=True)


class RemedyShape(s.Serializer):
    text = s.CharField()
    edits = LinesShape(many=True)
    opens = s.FloatField()
    opens_text = s.CharField()
    moves = MovesShape()
    moves_text = s.CharField()
    then = s.CharField()


class RemediesShape(s.Serializer):
    remedies = RemedyShape(many=True)
    remedies_sentence = s.CharField()
    tried = s.IntegerField()
    given_up = s.BooleanField()


class CaseShape(s.Serializer):
    """A complaint about a flow, or about a route."""

    name = s.CharField()
    title = s.CharField()
    story = s.CharField()
    question = _shape(
        "CaseQuestion",
        allow_null=True,
        source=_text(),
        destination=_text(),
        traffic=_text(allow_blank=True),
        size=_number(),
    )
    route = _shape("CaseRoute", allow_null=True, at=_text(), to=_text())


class FoundShape(PlacedShape):
    kind = s.CharField()
    title = s.CharField()
    detail = s.CharField(allow_blank=True)
    value = s.CharField()
    device = s.CharField(allow_null=True)


class ChartShape(s.Serializer):
    sites = _shape("ChartSite", many=True, name=_text(), title=_text(), description=_text())
    devices = _shape(
        "ChartDevice",
        many=True,
        name=_text(),
        role=_text(),
        site=_maybe(),
        description=_text(),
        addresses=_texts(),
        interfaces=s.IntegerField(),
        errors=s.IntegerField(),
        warnings=s.IntegerField(),
        **_place(),
    )
    segments = _shape(
        "ChartSegment",
        many=True,
        id=s.IntegerField(),
        name=_text(),
        stated=s.BooleanField(),
        ends=_shape(
            "ChartEnd",
            many=True,
            device=_text(),
            interface=_text(),
            addresses=_texts(),
            up=s.BooleanField(),
            costs=_shape(
                "ChartCost", many=True, protocol=_text(), where=_text(), cost=s.IntegerField()
            ),
            mtu=s.IntegerField(),
            bandwidth_bps=_number(),
            **_place(),
        ),
        outside=_shape("ChartOutsideEnd", many=True, name=_text(), address=_text()),
    )
    outside = _shape(
        "ChartOutside",
        many=True,
        name=_text(),
        title=_text(),
        description=_text(),
        prefixes=_texts(),
    )


class DeviceShape(s.Serializer):
    name = s.CharField()
    role = s.CharField()
    site = s.CharField(allow_null=True)
    description = s.CharField(allow_blank=True)
    file = s.CharField(allow_null=True)
    line = s.IntegerField(allow_null=True)
    column = s.IntegerField(allow_null=True)
    interfaces = _shape(
        "DeviceInterface",
        many=True,
        name=_text(),
        kind=_text(),
        description=_text(),
        enabled=s.BooleanField(),
        up=s.BooleanField(),
        vrf=_text(),
        addresses=_texts(),
        mtu=s.IntegerField(),
        filters_in=_texts(),
        filters_out=_texts(),
        neighbours=_texts(),
        **_place(),
    )
