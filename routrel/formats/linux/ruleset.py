"""A host's packet filters and translation, from what `nft` lists.

A chain becomes a filter. A chain at a hook is bound there; the others are asked by the rules that
lead to them. A rule of which anything is not covered is left out and named.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from routrel.formats.device_text import Said, name_for
from routrel.formats.linux.bundle import Bundle, listed
from routrel.formats.linux.matches import (
    ANYTHING,
    MALFORMED,
    Condition,
    Known,
    NotCovered,
    asks_for,
    both,
    condition_of,
    written,
)
from routrel.formats.reports import FileReport
from routrel.model.traffic import protocol_word

__all__ = [
    "Chain",
    "FilterWriter",
    "NftRule",
    "Ruleset",
    "Statement",
    "alternatives",
    "pairs_of",
    "read_ruleset",
    "word_of",
]

_VERDICTS = frozenset(("accept", "drop", "return", "continue", "jump", "goto"))
#: Statements that change nothing about where a packet goes.
_HARMLESS = frozenset(("counter", "log", "set", "meter", "last", "quota"))
_FAMILIES = {"ip": 4, "ip6": 6, "inet": None, "netdev": None}


@dataclass(frozen=True, slots=True)
class NftRule:
    """One rule as it is listed."""

    statements: Sequence[Any]
    handle: int
    comment: str
    line: int


@dataclass(slots=True)
class Chain:
    """One chain; without a hook it is for others to jump to."""

    family: str
    table: str
    name: str
    kind: str = ""
    hook: str = ""
    priority: int = 0
    policy: str = "accept"
    devices: tuple[str, ...] = ()
    rules: list[NftRule] = field(default_factory=list)
    line: int = 1

    @property
    def key(self) -> tuple[str, str, str]:
        return self.family, self.table, self.name

    @property
    def filter_name(self) -> str:
        """What its filter is called."""
        return name_for(f"{self.family}-{self.table}-{self.name}")

    @property
    def version(self) -> int | None:
        """The version of IP that its table is for; None: both."""
        return _FAMILIES[self.family]

    def remark(self, rule: NftRule) -> str:
        """Where a rule stands, in words."""
        return f"nft.json {self.family} {self.table} {self.name}, handle {rule.handle}"


@dataclass(slots=True)
class Ruleset:
    """All chains, and what their matches may name."""

    report: FileReport | None = None
    chains: dict[tuple[str, str, str], Chain] = field(default_factory=dict)
    sets: dict[tuple[str, str, str], Sequence[Any]] = field(default_factory=dict)
    marks: frozenset[int] = frozenset()  #: those that rules give packets
    others: frozenset[str] = frozenset()  #: interfaces that are there and not modelled

    def at(self, hook: str, kind: str = "filter") -> list[Chain]:
        """The chains at a hook, in the order in which packets meet them."""
        found = [c for c in self.chains.values() if c.hook == hook and c.kind == kind]
        return sorted(found, key=lambda chain: chain.priority)

    def known(self, chain: Chain, interfaces: Sequence[str]) -> Known:
        """What the matches of a chain may name."""

        def elements(name: str) -> Sequence[Any]:
            found = self.sets.get((chain.family, chain.table, name))
            if found is None:
                raise NotCovered(f"the set {name}, which is not listed")
            return found

        return Known(tuple(interfaces), self.others, self.marks, elements)

    def unknown(self, chain: Chain, text: str, line: int = 0) -> None:
        """Name something of a chain that is not covered."""
        where = f"{chain.family} {chain.table} {chain.name}"
        if self.report is not None:
            self.report.unknown(f"{where}: {text}", line or chain.line)

    def note(self, chain: Chain, text: str, line: int = 0) -> None:
        """Say how something of a chain was taken."""
        where = f"{chain.family} {chain.table} {chain.name}"
        if self.report is not None:
            self.report.note(f"{where}: {text}", line or chain.line)


def read_ruleset(bundle: Bundle) -> Ruleset:
    """The chains, rules and sets of a listing."""
    found = Ruleset()
    text = bundle.texts.get("nft.json")
    if text is None:
        return found
    report = found.report = bundle.reports["nft.json"]
    objects = text.value.get("nftables") if isinstance(text.value, Mapping) else None
    if not isinstance(objects, list):
        report.refuse("no list under “nftables”, as the command prints it")
        return found
    marks: set[int] = set()
    for number, item in enumerate(objects):
        if not isinstance(item, Mapping) or len(item) != 1:
            report.unknown("an object that is not one thing", text.line("nftables", number))
            continue
        ((kind, value),) = item.items()
        line = text.line("nftables", number)
        if not isinstance(value, Mapping):
            report.unknown(f"a {kind} that is no object", line)
        elif kind == "chain":
            _take_chain(found, value, report, line)
        elif kind in ("set", "map"):
            key = (str(value.get("family")), str(value.get("table")), str(value.get("name")))
            found.sets[key] = listed(value.get("elem"))
            if "timeout" in listed(value.get("flags")):
                report.note(f"{kind} {key[2]}: its elements come and go; as they were", line)
        elif kind == "rule":
            marks |= _take_rule(found, value, report, line)
        elif kind not in ("metainfo", "table", "counter", "quota", "limit"):
            report.unknown(f"a {kind} is not modelled", line)
    found.marks = frozenset(marks)
    for chain in found.at("ingress"):
        if not chain.devices:
            chain.devices = _devices_of(chain, bundle.chains)
    return found


def _devices_of(chain: Chain, listing: str) -> tuple[str, ...]:
    """The devices of a chain by the listing as text; older programs leave them out of the JSON."""
    table = re.search(
        rf"^table {chain.family} {re.escape(chain.table)} {{(.*?)^}}", listing, re.M | re.S
    )
    body = table and re.search(
        rf"chain {re.escape(chain.name)} {{(.*?)}}\s*$", table[1], re.M | re.S
    )
    named = body and re.search(r"devices? =? ?({[^}]*}|\S+)", body[1])
    return tuple(re.findall(r"[^\s{},\"]+", named[1])) if named else ()


def _take_chain(found: Ruleset, value: Mapping[str, Any], report: FileReport, line: int) -> None:
    family = str(value.get("family"))
    if family not in _FAMILIES:
        report.unknown(f"chain {value.get('name')} of family {family} is not modelled", line)
        return
    priority, policy = value.get("prio", 0), value.get("policy", "accept")
    if isinstance(priority, str) and priority.removeprefix("-").isdecimal():
        priority = int(priority)
    if not isinstance(priority, int) or policy not in ("accept", "drop"):
        report.unknown(f"chain {value.get('name')} has no priority or policy that is known", line)
        return
    chain = Chain(
        family,
        str(value.get("table")),
        str(value.get("name")),
        kind=str(value.get("type", "")),
        hook=str(value.get("hook", "")),
        priority=priority,
        policy=policy,
        devices=tuple(map(str, listed(value.get("dev")))),
        line=line,
    )
    found.chains[chain.key] = chain


def _take_rule(found: Ruleset, value: Mapping[str, Any], report: FileReport, line: int) -> set[int]:
    """Keep a rule with its chain; the marks that it gives."""
    key = (str(value.get("family")), str(value.get("table")), str(value.get("chain")))
    chain, statements = found.chains.get(key), value.get("expr")
    if not isinstance(statements, list):
        report.unknown("a rule without statements", line)
        return set()
    if chain is None:
        if key[0] in _FAMILIES:
            report.unknown(f"a rule of {' '.join(key)}, which is no chain", line)
        return set()
    handle = value.get("handle", 0)
    rule = NftRule(
        statements, handle if isinstance(handle, int) else 0, str(value.get("comment", "")), line
    )
    chain.rules.append(rule)
    marks = set()
    for statement in statements:
        if isinstance(statement, Mapping) and isinstance(statement.get("mangle"), Mapping):
            mangle = statement["mangle"]
            mark = mangle.get("value")
            if mangle.get("key") == {"meta": {"key": "mark"}} and isinstance(mark, int):
                marks.add(mark)
    return marks


# --- rules into steps -----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Statement:
    """What a rule does with the packets that come so far in it."""

    conditions: list[Condition]  #: any of them suffices
    excepted: list[Condition]  #: none of them may hold
    does: str  #: accept, drop, return, jump, goto, mark, or a kind of translation
    target: Any = None
    mark: int | None = None  #: what packets are marked with first


def alternatives(
    ruleset: Ruleset, chain: Chain, rule: NftRule, interfaces: Sequence[str]
) -> Iterator[Statement]:
    """A rule's effects in order, each with what a packet must have to meet it.

    Raises:
        NotCovered: something of the rule is not covered.
    """
    known = ruleset.known(chain, interfaces)
    conditions: list[Condition] = [Condition(family=chain.version)]
    excepted: list[Condition] = []
    for statement in rule.statements:
        if not isinstance(statement, Mapping) or len(statement) != 1:
            raise NotCovered("a statement that is not one thing")
        ((word, value),) = statement.items()
        if word == "match":
            if not isinstance(value, Mapping):
                raise NotCovered("a match that is no object")
            found, without = condition_of(
                value.get("left"), str(value.get("op")), value.get("right"), known
            )
            conditions = _all_of(conditions, found)
            excepted += without
        elif word == "vmap":
            yield from _by_map(known, value, conditions, excepted)
        elif word in _VERDICTS:
            if word != "continue":
                target = value.get("target") if isinstance(value, Mapping) else None
                yield Statement(conditions, excepted, word, target)
            return
        elif word == "reject":
            yield Statement(conditions, excepted, "drop")
            return
        elif word == "mangle":
            yield Statement(conditions, excepted, "mark", _mark(value))
        elif word == "limit":
            if not isinstance(value, Mapping):
                raise NotCovered("a limit by its name")
            ruleset.note(chain, "a limit of the rate is taken as not reached", rule.line)
            if value.get("inv"):
                return
        elif word in ("snat", "dnat", "masquerade", "redirect"):
            yield Statement(conditions, excepted, word, value or {})
            return
        elif word not in _HARMLESS:
            raise NotCovered(f"“{word}”")


def _all_of(left: list[Condition], right: list[Condition]) -> list[Condition]:
    return [c for a in left for b in right if (c := both(a, b)) is not None]


def _by_map(
    known: Known, value: Any, conditions: list[Condition], excepted: list[Condition]
) -> Iterator[Statement]:
    """A verdict for each element of a map."""
    if not isinstance(value, Mapping) or "key" not in value:
        raise NotCovered("a map of verdicts")
    for key, verdict in pairs_of(value.get("data"), known):
        found, without = condition_of(value["key"], "==", key, known)
        if without or not isinstance(verdict, Mapping) or len(verdict) != 1:
            raise NotCovered("a map of verdicts")
        ((word, inner),) = verdict.items()
        if word not in _VERDICTS:
            raise NotCovered(f"the verdict {word}")
        if word != "continue":
            target = inner.get("target") if isinstance(inner, Mapping) else None
            yield Statement(_all_of(conditions, found), excepted, word, target)


def pairs_of(data: Any, known: Known) -> Iterator[tuple[Any, Any]]:
    """The keys and values of a map, named or written where it is used."""
    if isinstance(data, str) and data.startswith("@"):
        elements: Any = known.elements(data[1:])
    else:
        elements = data.get("set") if isinstance(data, Mapping) else None
    if not isinstance(elements, list):
        raise NotCovered("a map that is none")
    for pair in elements:
        if not isinstance(pair, list) or len(pair) != 2:
            raise NotCovered("a map that is none")
        key, value = pair
        if isinstance(key, Mapping) and "elem" in key:
            key = key["elem"].get("val") if isinstance(key["elem"], Mapping) else key["elem"]
        yield key, value


def _mark(value: Any) -> int:
    if not isinstance(value, Mapping) or value.get("key") != {"meta": {"key": "mark"}}:
        what = value.get("key") if isinstance(value, Mapping) else value
        raise NotCovered(f"a change of {what}")
    if not isinstance(value.get("value"), int) or isinstance(value["value"], bool):
        raise NotCovered("a mark that is worked out from others")
    mark: int = value["value"]
    return mark


def word_of(condition: Condition) -> str | int:
    """The protocol that a condition is for, as the language names it."""
    return "any" if condition.protocol is None else protocol_word(condition.protocol)


# --- filters --------------------------------------------------------------------------------------


def _with_marks(steps: list[Statement]) -> list[Statement]:
    """The steps of a rule, where one that marks does not change what the next of them asks for.

    What asks for marks and then sets one does the next thing together with that.
    """
    for place, step in enumerate(steps[:-1]):
        asks = any(c.marks is not None for c in (*step.conditions, *step.excepted))
        if step.does != "mark" or not asks:
            continue
        (*others, last) = steps[place + 1 :]
        if others or (last.conditions, last.excepted) != (step.conditions, step.excepted):
            raise NotCovered("marks that it changes itself")
        if last.does in ("return", "goto"):
            raise NotCovered("marks that it changes before it goes")
        if last.does in ("drop", "mark"):
            return [*steps[:place], last]
        return [*steps[:place], replace(last, mark=step.target)]
    return steps


class FilterWriter:
    """Writes the filters of chains, and those that their rules ask."""

    def __init__(self, ruleset: Ruleset, interfaces: Mapping[str, str]) -> None:
        """
        Args:
            interfaces: What each interface is called in the file.
        """
        self.ruleset, self.interfaces = ruleset, interfaces
        self.filters: dict[str, dict[str, Any]] = {}
        self._within: list[tuple[str, str, str]] = []

    def write(self, chain: Chain) -> str | None:
        """The filter of a chain, its name; None where it decides nothing about any packet."""
        name = chain.filter_name
        if name in self.filters:
            return name
        self._within.append(chain.key)
        rules = _Rules()
        if chain.hook and chain.version is not None:
            other = Condition(family=6 if chain.version == 4 else 4)
            rules.add(written(other, str), "permit", "any", "the table is for the other family")
        self._write_steps(chain, list(self._steps_of(chain)), rules)
        self._within.pop()
        default = {"accept": "permit", "drop": "deny"}[chain.policy] if chain.hook else "return"
        if chain.hook and default == "permit" and not rules.items:
            return None
        self.filters[name] = {
            "rules": rules.items,
            "default": Said(
                default, f"nft.json policy of {' '.join(chain.key)}" * bool(chain.hook)
            ),
        }
        return name

    def _steps_of(self, chain: Chain) -> Iterator[tuple[NftRule, Statement]]:
        """What the rules of a chain do, one after the other; what is not covered is named."""
        for rule in chain.rules:
            try:
                steps = list(alternatives(self.ruleset, chain, rule, tuple(self.interfaces)))
                if any(s.does in ("snat", "dnat", "masquerade", "redirect") for s in steps):
                    raise NotCovered("translation in a chain of filters")
                steps = _with_marks(steps)
            except (NotCovered, *MALFORMED) as error:
                text = f"rule {rule.handle} {asks_for(error)}; left out"
                self.ruleset.unknown(chain, text, rule.line)
                continue
            yield from ((rule, step) for step in steps if step.conditions)

    def _write_steps(
        self, chain: Chain, steps: Sequence[tuple[NftRule, Statement]], rules: _Rules
    ) -> None:
        for place, (rule, step) in enumerate(steps):
            asked = None
            if step.does in ("jump", "goto"):
                asked = self._asked(chain, rule, step.target)
                if asked is None:
                    continue
            if step.mark is not None and step.does != "accept":
                self._write_with_exceptions(chain, rule, step, asked, rules)
            elif not step.excepted:
                self._write_step(chain, rule, step, step.conditions, asked, rules)
            elif step.does in ("return", "goto"):
                self._write_ending(chain, steps, place, asked, rules)
                return
            else:
                self._write_with_exceptions(chain, rule, step, asked, rules)

    def _write_with_exceptions(
        self, chain: Chain, rule: NftRule, step: Statement, asked: str | None, rules: _Rules
    ) -> None:
        """A step in a filter of its own, where what is excepted comes to no decision."""
        inner = _Rules()
        for condition in step.excepted:
            inner.add(self._keys(condition), "return", word_of(condition))
        if step.mark is not None and step.does != "accept":
            inner.add({"mark": step.mark}, "continue", "any")
        self._write_step(chain, rule, step, [ANYTHING], asked, inner)
        name = self._inner_name(chain, rule)
        self.filters[name] = {"rules": inner.items, "default": "return"}
        self._ask(step.conditions, name, rules, chain.remark(rule), rule.comment)

    def _write_ending(
        self,
        chain: Chain,
        steps: Sequence[tuple[NftRule, Statement]],
        place: int,
        asked: str | None,
        rules: _Rules,
    ) -> None:
        """A step that ends a chain for all but some, and the rest of the chain.

        The rest stands in a filter of its own: it is asked for what is excepted, then the step
        ends what it is for, then the rest is asked for all others.
        """
        rule, step = steps[place]
        rest = _Rules()
        self._write_steps(chain, steps[place + 1 :], rest)
        name = self._inner_name(chain, rule)
        self.filters[name] = {"rules": rest.items, "default": "return"}
        remark = chain.remark(rule)
        for condition in _all_of(step.conditions, step.excepted):
            self._ask([condition], name, rules, remark)
            rules.add(self._keys(condition), "return", word_of(condition), remark)
        self._write_step(chain, rule, step, step.conditions, asked, rules)
        self._ask([ANYTHING], name, rules, "the rest of the chain")

    def _inner_name(self, chain: Chain, rule: NftRule) -> str:
        name = name_for(f"{chain.filter_name}-{rule.handle}")
        while name in self.filters:
            name += "b"
        return name

    def _ask(
        self,
        conditions: Sequence[Condition],
        name: str,
        rules: _Rules,
        remark: str,
        comment: str = "",
    ) -> None:
        for condition in conditions:
            keys = {"filter": name, **self._keys(condition)}
            rules.add(keys, "ask", word_of(condition), remark, comment)

    def _write_step(
        self,
        chain: Chain,
        rule: NftRule,
        step: Statement,
        conditions: list[Condition],
        asked: str | None,
        rules: _Rules,
    ) -> None:
        remark = chain.remark(rule)
        words = {"accept": "permit", "drop": "deny", "return": "return", "mark": "continue"}
        for condition in conditions:
            keys, protocol = self._keys(condition), word_of(condition)
            if asked is not None:
                rules.add({"filter": asked, **keys}, "ask", protocol, remark, rule.comment)
                if step.does == "goto":
                    rules.add(keys, "return", protocol, remark)
                continue
            mark = step.target if step.does == "mark" else step.mark
            more = {} if mark is None else {"mark": mark}
            rules.add({**more, **keys}, words[step.does], protocol, remark, rule.comment)

    def _keys(self, condition: Condition) -> dict[str, Any]:
        return written(condition, lambda name: self.interfaces[name])

    def _asked(self, chain: Chain, rule: NftRule, target: Any) -> str | None:
        """The filter of a chain that a rule leads to."""
        found = self.ruleset.chains.get((chain.family, chain.table, str(target)))
        if found is None:
            self.ruleset.unknown(chain, f"rule {rule.handle} leads to {target}, which is no chain")
            return None
        if found.key in self._within:
            self.ruleset.unknown(chain, f"rule {rule.handle} comes back to {target}; left out")
            return None
        return self.write(found)


class _Rules:
    """Numbers the rules of one filter."""

    def __init__(self) -> None:
        self.items: list[Said] = []

    def add(
        self,
        keys: Mapping[str, Any],
        action: str,
        protocol: str | int,
        remark: str = "",
        comment: str = "",
    ) -> None:
        number = 10 * (len(self.items) + 1)
        told = {"description": comment} if comment else {}
        self.items.append(Said({"id": number, action: protocol, **keys, **told}, remark))
