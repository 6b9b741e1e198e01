"""Packet filters, their rules, and where they are bound."""

from __future__ import annotations

import itertools
from typing import Any

from routrel.files.language.common import DESCRIPTION, NAME
from routrel.files.language.matches import (
    ANY_PROTOCOL,
    MARK,
    MATCH_FIELDS,
    build_match,
    unbuild_match,
)
from routrel.files.report import Report
from routrel.files.shapes import (
    BAD,
    Bad,
    Boolean,
    Field,
    Integer,
    ListOf,
    OneOrMany,
    PlacedChoice,
    Record,
    Values,
)
from routrel.files.values import ProtocolValue, ReferenceValue
from routrel.model.filters import Action, Filter, FilterUse, Rule
from routrel.model.place import Place

__all__ = ["FILTER", "FILTER_NAMES", "FILTER_USES", "RULE", "RULE_NUMBER", "in_order"]

RULE_NUMBER = Field(
    "id", Integer(1, 2**31 - 1), "the rule's number; numbers rise down the list", required=True
)


def in_order(rules: tuple[Any, ...], whose: str, report: Report) -> bool:
    """Whether the rules' numbers rise; the first that does not is reported."""
    for previous, rule in itertools.pairwise(rules):
        if rule.id <= previous.id:
            report.error(
                rule.place,
                "rule_order",
                f"rule {rule.id} of {whose} stands after rule {previous.id}",
                "number the rules so that each is higher than the one before",
            )
            return False
    return True


#: What a rule may do, by its key; None: go on to the next rule, once another filter was asked.
_ACTIONS: dict[str, Action | None] = {
    "permit": Action.PERMIT,
    "deny": Action.DENY,
    "return": Action.RETURN,
    "continue": None,
    "ask": None,
}


def _build_rule(values: Values, place: Place, report: Report) -> Any:
    protocols = {word: values.pop(word) for word in _ACTIONS}
    given = [word for word, protocol in protocols.items() if protocol is not None]
    problem = hint = ""
    if len(given) != 1:
        problem = "needs one of “permit”, “deny”, “continue”, “ask” and “return”"
        hint = "write permit: tcp, deny: any, and so on"
    elif (given == ["ask"]) != (values["asks"] is not None):
        problem, hint = "asks no filter", "write ask: tcp with filter: a name"
        if values["asks"] is not None:
            problem, hint = "names a filter and asks nothing", "write ask: in place of the action"
    elif given == ["ask"] and values["mark"] is not None:
        problem, hint = "asks and marks at once", "mark by a rule of its own before this one"
    elif given == ["continue"] and values["mark"] is None:
        problem, hint = "goes on to the next rule without any effect", "add mark: a number"
    elif given in (["deny"], ["return"]) and values["mark"] is not None:
        problem, hint = "marks what it does not let pass", "remove the mark"
    if problem:
        report.error(place, "bad_rule", f"rule {values['id']} {problem}", hint)
        return BAD
    match = build_match(values, protocols[given[0]], place, report)
    if isinstance(match, Bad):
        return BAD
    return Rule(**values, action=_ACTIONS[given[0]], match=match, place=place)


def _unbuild_rule(rule: Rule) -> Values:
    protocol = ANY_PROTOCOL if rule.match.protocol is None else rule.match.protocol
    told = "continue" if rule.asks else "ask"  # the one of the two that it is not
    return {
        "id": rule.id,
        **{
            word: protocol if rule.action is act and (word != told) else None
            for word, act in _ACTIONS.items()
        },
        "mark": rule.mark,
        "asks": rule.asks,
        "description": rule.description,
        **unbuild_match(rule.match),
    }


RULE = Record(
    cls=Rule,
    what="a filter rule",
    fields=(
        RULE_NUMBER,
        Field("permit", ProtocolValue(), "lets packets of this protocol pass"),
        Field("deny", ProtocolValue(), "drops packets of this protocol"),
        Field(
            "continue",
            ProtocolValue(),
            "marks packets of this protocol and goes on to the next rule",
        ),
        Field(
            "ask",
            ProtocolValue(),
            "holds packets of this protocol against another filter; those on which it comes to no "
            "decision go on to the next rule",
        ),
        Field("filter", NAME, "the filter that “ask” asks", "asks"),
        Field(
            "return",
            ProtocolValue(),
            "no decision on packets of this protocol: they go back to the filter that asked, or "
            "meet the default of one that is bound",
        ),
        Field("mark", MARK, "a number the packet keeps inside the device"),
        *MATCH_FIELDS,
        DESCRIPTION,
    ),
    reserved=("reject", "log"),
    strict=True,
    build=_build_rule,
    unbuild=_unbuild_rule,
)


def _build_filter(values: Values, place: Place, report: Report) -> Any:
    action, default_place = values.pop("default")
    if not in_order(values["rules"], f"filter {values['name']}", report):
        return BAD
    return Filter(**values, default=action, default_place=default_place, place=place)


def _unbuild_filter(value: Filter) -> Values:
    return {
        "name": value.name,
        "rules": value.rules,
        "default": (value.default, value.default_place),
        "stateful": value.stateful,
        "description": value.description,
    }


FILTER = Record(
    cls=Filter,
    what="a filter",
    fields=(
        DESCRIPTION,
        Field("rules", ListOf(RULE), "the rules, tried from the top", default=()),
        Field(
            "default",
            PlacedChoice(Action),
            "what happens to packets no rule matches: permit, deny, or, for a filter that others "
            "ask, return: no decision",
            required=True,
        ),
        Field(
            "sessions",
            Boolean(),
            "true: packets of a session that the device let begin pass before any rule is asked, "
            "and answers to what it never saw are dropped",
            "stateful",
            default=False,
        ),
    ),
    reserved=("kind",),
    build=_build_filter,
    unbuild=_unbuild_filter,
)
FILTER_NAMES = OneOrMany(ReferenceValue(FilterUse, "filter", "the name of a filter of this device"))
FILTER_USES = Record(
    cls=dict,
    what="the filters of an interface",
    fields=(
        Field("in", FILTER_NAMES, "filters for packets that arrive here, tried in order; each "
              "must permit", "filters_in", default=()),
        Field("out", FILTER_NAMES, "filters for packets that leave here", "filters_out",
              default=()),
    ),
    build=lambda values, place, report: values,
    unbuild=lambda values: values,
)  # fmt: skip
