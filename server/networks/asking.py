"""The questions that can be asked of a revision, by name: from values to an answer in JSON's types.

They are answered in the executor's processes. What a question takes was checked before.
"""

from __future__ import annotations

import ipaddress
import json
from collections import OrderedDict
from collections.abc import Callable, Mapping
from typing import Any, TypeAlias

from routrel.answers.agreement import agreement_data
from routrel.answers.base import data
from routrel.answers.bounce import bounce_data
from routrel.answers.compare_flows import DifferenceData, difference_data
from routrel.answers.find.catalogue import found_data
from routrel.answers.find.index import FindIndex
from routrel.answers.findings import FindingData, findings_data
from routrel.answers.flow_sets import answer_flow
from routrel.answers.flows import flow_data
from routrel.answers.flows_over import flows_over_data
from routrel.answers.holders import holders_data
from routrel.answers.impact import impact_data
from routrel.answers.inventory import cases_data, chart_data, device_data, names_data
from routrel.answers.policies import policies_data, read_route, try_policy
from routrel.answers.sessions import sessions_data
from routrel.answers.tables import TableQuestion, table_data
from routrel.answers.why import explain_route
from routrel.convergence.converge import State
from routrel.lens.look import View
from routrel.model.addresses import Address, Prefix
from routrel.questions.agreement.reasons import agreement
from routrel.questions.errors import QuestionError, UnknownName
from routrel.questions.flow import FlowQuestion, ask_flow
from routrel.questions.flows_over import flows_over
from routrel.questions.moves import kept_flows
from routrel.questions.promises.thing_at import Used, thing_at
from routrel.questions.routes import RouteQuestion
from routrel.wording.differences import first_difference
from server.networks.editing import EDITING
from server.networks.lenses import seen, texts_seen
from server.networks.models import Revision
from server.networks.promises import evaluated, promised
from server.networks.questions import kept_with, short_answer, stored_question

__all__ = [
    "HasProblems",
    "NotADestination",
    "NotThere",
    "answer_question",
    "destination",
]

Values: TypeAlias = Mapping[str, Any]


class HasProblems(Exception):
    """The revision's files have problems; nothing is computed from them."""


class NotThere(Exception):
    """What the address names is not in this revision; the message says what."""


class NotADestination(QuestionError):
    """What should be an address or a prefix is neither."""

    code = "not_a_destination"

    def __init__(self, text: str) -> None:
        super().__init__(
            f"“{text}” is neither an address nor a prefix", "write 10.64.7.21 or 10.64.7.0/24"
        )


def answer_question(revision: Revision, name: str, values: Values) -> Any:
    """The answer to one question, in JSON's types.

    Raises:
        QuestionError: it cannot be asked like this.
        NotThere: what it names is not there.
        HasProblems: the revision cannot be computed.
    """
    values = dict(values)
    written = values.pop("lens", {})
    if name in _OF_FILES:
        return _OF_FILES[name](texts_seen(revision, written), values)
    view = seen(revision, written)
    if name == "findings":
        return (
            _findings(revision, view) if not any(written.values()) else data(_told_findings(view))
        )
    if view.state is None:
        raise HasProblems
    if name == "flows-over":
        kept = kept_with(revision.network, view)
        ends = [tuple(end.split(":", 1)) for end in values["ends"]]
        return data(flows_over_data(flows_over(view.state, kept, ends)))
    if name == "table":
        return _table(revision, view.state, values)
    if name == "impact":
        return _impact(revision, view, view.state, values)
    if name == "find":
        return _find(_index(revision, written, view, view.state), values)
    return data(_QUESTIONS[name](view, view.state, values))


def destination(text: str) -> Prefix | Address:
    """A prefix or an address; a prefix has a slash."""
    try:
        return ipaddress.ip_network(text) if "/" in text else ipaddress.ip_address(text)
    except ValueError as error:
        raise NotADestination(text) from error


# --- flows ---------------------------------------------------------------------------------------


def _flow(_: View, state: State, values: Values) -> Any:
    return answer_flow(state, stored_question(values), every_way=False)


def _compare(_: View, state: State, values: Values) -> DifferenceData:
    mine = stored_question(values)
    theirs = FlowQuestion(
        source=values["other_from"],
        destination=values["other_to"],
        traffic=values.get("other_as", ""),
        size=mine.size,
    )
    left, right = ask_flow(state, mine), ask_flow(state, theirs)
    found = first_difference(left, right, ("this flow", "the other"))
    return difference_data(found, flow_data(state, right))


def _short(view: View, _: State, values: Values) -> Any:
    return short_answer(view, stored_question(values))


# --- routes --------------------------------------------------------------------------------------


def _holders(_: View, state: State, values: Values) -> Any:
    return holders_data(state, destination(values["q"]))


def _agreement(_: View, state: State, values: Values) -> Any:
    return agreement_data(state, agreement(state, values["devices"] or None))


def _why(_: View, state: State, values: Values) -> Any:
    asked = destination(values["q"])
    prefix = asked if isinstance(asked, ipaddress.IPv4Network | ipaddress.IPv6Network) else None
    address = asked if isinstance(asked, ipaddress.IPv4Address | ipaddress.IPv6Address) else None
    (answer,) = explain_route(
        state,
        RouteQuestion(
            device=values["device"],
            vrf=values["vrf"],
            prefix=prefix,
            address=address,
        ),
    )
    return answer


def _table(revision: Revision, state: State, values: Values) -> Any:
    """A table, beside it the same in a second lens if one is asked for."""
    asked = dict(values)
    base, before = asked.pop("base", None), None
    if base is not None:
        other = Revision.objects.get(network_id=revision.network_id, number=base["revision"])
        before = seen(other, base["lens"]).state
        if before is None:
            raise HasProblems
    return data(table_data(state, TableQuestion(**asked), before))


def _told_findings(view: View) -> list[FindingData]:
    return findings_data(view.findings, view.reading.network)


def _findings(revision: Revision, view: View) -> Any:
    """All findings, and what they are known by kept with the revision."""
    told = _told_findings(view)
    if revision.finding_keys is None:
        keys = [finding.key for finding in told]
        Revision.objects.filter(pk=revision.pk, finding_keys__isnull=True).update(finding_keys=keys)
    return data(told)


# --- promises ------------------------------------------------------------------------------------


def _impact(revision: Revision, view: View, state: State, values: Values) -> Any:
    """The promises that use what is named, by what their packets meet."""
    promises = promised(view, values["stored"])
    kept = kept_with(revision.network, view)
    found = evaluated(revision, state, promises, kept)
    used = values["used"]
    if "file" in used:
        named = thing_at(state.network, view.texts, used["file"], used["line"])
        if named is None:
            raise UnknownName(
                f"no device or network stands at {used['file']}:{used['line']}",
                "name a line of a device's file",
            )
    else:
        named = Used(**used)
    return data(impact_data(state, found, named))


# --- sessions and policies -----------------------------------------------------------------------


def _bounce(view: View, state: State, values: Values) -> Any:
    kept = kept_flows(view.cases)
    return bounce_data(state, values["device"], values["vrf"], values["neighbour"], kept)


def _try_policy(_: View, state: State, values: Values) -> Any:
    route = read_route(dict(values["route"]))
    return try_policy(state.network, values["device"], values["policy"], route)


# --- files -------------------------------------------------------------------


def _file_list(texts: Mapping[str, str], _: Values) -> Any:
    return [{"path": path, "lines": len(texts[path].splitlines())} for path in sorted(texts)]


def _file(texts: Mapping[str, str], values: Values) -> Any:
    path = values["path"]
    if path not in texts:
        raise NotThere(f"this revision has no file {path}")
    return {"path": path, "text": texts[path]}


# --- what there is -------------------------------------------------------------------------------


def _device(_: View, state: State, values: Values) -> Any:
    found = state.topology.devices.get(values["device"])
    if found is None:
        raise NotThere(f"there is no device {values['device']} in this revision")
    return device_data(state, found)


def _find(index: FindIndex, values: Values) -> Any:
    found = index.find(values["q"], endpoints_only=values["endpoints"])
    return data([found_data(item) for item in found])


#: Indexes of the revisions in which somebody searched last, by content.
_INDEXES: OrderedDict[str, FindIndex] = OrderedDict()
_MOST_INDEXES = 4


def _index(revision: Revision, written: Values, view: View, state: State) -> FindIndex:
    """What can be found in a lens; made once for as long as people search in it."""
    name = f"{revision.content_hash} {json.dumps(written, sort_keys=True)}"
    index = _INDEXES.get(name)
    if index is None:
        index = _INDEXES[name] = FindIndex(state, view.texts)
        while len(_INDEXES) > _MOST_INDEXES:
            _INDEXES.popitem(last=False)
    _INDEXES.move_to_end(name)
    return index


#: What is answered from the files of a lens alone.
_OF_FILES: dict[str, Callable[[Mapping[str, str], Values], Any]] = {
    "files": _file_list,
    "file": _file,
    **EDITING,
}
_QUESTIONS: dict[str, Callable[[View, State, Values], Any]] = {
    "flow": _flow,
    "compare": _compare,
    "short": _short,
    "holders": _holders,
    "agreement": _agreement,
    "why": _why,
    "bounce": _bounce,
    "try-policy": _try_policy,
    "device": _device,
    "cases": lambda view, _, __: cases_data(view.cases),
    "names": lambda view, _, __: names_data(view.reading.network.names),
    "sessions": lambda _, state, values: sessions_data(state),
    "policies": lambda _, state, values: policies_data(state.network),
    "chart": lambda _, state, values: chart_data(state),
}
