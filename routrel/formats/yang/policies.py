"""Routing policies and their sets: ietf-routing-policy (RFC 9067)."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from routrel.formats.device_text import Said, name_for
from routrel.formats.yang.tree import Node
from routrel.model.addresses import is_address

__all__ = ["Policies", "read_policies"]

POLICY = "ietf-routing-policy"
_RESULTS = {"accept-route": "accept", "reject-route": "reject"}
_SOURCES = {
    "direct": ["connected"], "static": ["static"], "ospf": ["ospf", "ospfv3"], "ospfv2": ["ospf"],
    "ospfv3": ["ospfv3"], "isis": ["isis"], "rip": ["rip"], "ripv2": ["rip"], "ripng": ["ripng"],
    "bgp": ["bgp"],
}  # fmt: skip
_ROUTE_TYPES = {
    "ospf-internal-type": ["intra-area", "inter-area"],
    "ospf-external-type": ["external-1", "external-2"],
    "ospf-external-t1-type": ["external-1"], "ospf-external-t2-type": ["external-2"],
    "isis-level-1-type": ["level-1"], "isis-level-2-type": ["level-2"],
    "bgp-internal": ["internal"], "bgp-external": ["external"],
}  # fmt: skip
_METRIC_TYPES = {"ospf-type-1-metric": 1, "ospf-type-2-metric": 2}
_LARGEST_TAG = 2**32 - 1


@dataclass(slots=True)
class Policies:
    """The policies of a device and the sets that they ask, as keys of its file."""

    policies: dict[str, dict[str, Any]] = field(default_factory=dict)
    prefixes: dict[str, list[Any]] = field(default_factory=dict)
    tags: dict[str, list[Any]] = field(default_factory=dict)
    neighbours: dict[str, list[Any]] = field(default_factory=dict)

    @property
    def sets(self) -> dict[str, dict[str, list[Any]]]:
        """The sets by kind; kinds without any are left out."""
        found = {"prefixes": self.prefixes, "tags": self.tags, "neighbours": self.neighbours}
        return {kind: sets for kind, sets in found.items() if sets}


def read_policies(data: Node, found: Policies) -> None:
    """Add the policies of a file.

    A set of the options `invert` is asked by a policy of its own, which rejects what the set holds
    (RFC 9067 4.2). What a policy comes to no decision on is rejected, as where it is applied alone.
    A statement that asks for what is not modelled is left out and named.
    """
    holder = data.child("routing-policy", POLICY)
    if holder is None:
        return
    sets = holder.child("defined-sets")
    if sets is not None:
        _read_sets(sets, found)
    definitions = holder.child("policy-definitions")
    if definitions is None:
        return
    definitions.ignore("match-modified-attributes")
    nodes = [(node.text("name") or "", node) for node in definitions.items("policy-definition")]
    for name, node in nodes:
        if not name or name_for(name) in found.policies:
            node.unknown("a policy without a name of its own; left out")
            continue
        reader = _Statements(found)
        statements = [
            said
            for statement in node.listed("statements", "statement")
            if (said := reader.take(statement)) is not None
        ]
        node.note(f"what {name} comes to no decision on is rejected, as by default where applied")
        found.policies[name_for(name)] = {"statements": statements, "default": "reject"}
    called = {
        said.value["call"]
        for policy in found.policies.values()
        for said in policy["statements"]
        if "call" in said.value
    }
    for name in sorted(called - set(found.policies)):
        holder.unknown(f"the policy {name} is called, and is not there")
        found.policies[name] = {"statements": [], "default": "reject"}


def _read_sets(sets: Node, found: Policies) -> None:
    for node in sets.listed("prefix-sets", "prefix-set"):
        node.ignore("mode")
        members = found.prefixes.setdefault(name_for(node.text("name") or ""), [])
        members += [one for item in node.listed("prefixes", "prefix-list") if (one := _range(item))]
    for node in sets.listed("neighbor-sets", "neighbor-set"):
        addresses = node.leaf("address")
        listed = addresses if isinstance(addresses, list) else []
        members = [one for one in listed if isinstance(one, str) and is_address(one)]
        if len(members) != len(listed) or (addresses is not None and not listed):
            node.unknown("address is no list of addresses", "address")
        found.neighbours[name_for(node.text("name") or "")] = [
            f"{one}/{128 if ':' in one else 32}" for one in members
        ]
    for node in sets.listed("tag-sets", "tag-set"):
        values = node.leaf("tag-value")
        listed = values if isinstance(values, list) else []
        tags = [tag for value in listed if (tag := _tag(value)) is not None]
        if len(tags) != len(listed):
            node.unknown("tag-value holds what is no tag", "tag-value")
        found.tags[name_for(node.text("name") or "")] = list(tags)
    for kind in (found.prefixes, found.neighbours, found.tags):
        for name in [name for name, members in kind.items() if not members]:
            sets.unknown(f"the set {name} holds nothing")
            del kind[name]


def _range(node: Node) -> str | None:
    """A prefix with the lengths that it stands for."""
    prefix = node.prefix("ip-prefix")
    if prefix is None:
        return None
    least = node.number("mask-length-lower", high=prefix.max_prefixlen)
    most = node.number("mask-length-upper", high=prefix.max_prefixlen)
    low = prefix.prefixlen if least is None else least
    high = low if most is None else most
    if not prefix.prefixlen <= low <= high:
        node.unknown(f"lengths from {low} to {high} are none of {prefix}")
        return None
    if (low, high) == (prefix.prefixlen, prefix.prefixlen):
        return str(prefix)
    return f"{prefix} from /{low} to /{high}"


def _tag(value: object) -> int | None:
    """A tag, written as a number or in hexadecimal digits (RFC 9067 tag-type)."""
    number = None
    if isinstance(value, int) and not isinstance(value, bool):
        number = value
    elif isinstance(value, str):
        plain = value.replace(":", "")
        base = 16 if plain.lower().startswith("0x") or ":" in value else 10
        try:
            number = int(plain, base)
        except ValueError:
            return None
    return number if number is not None and 0 <= number <= _LARGEST_TAG else None


class _Statements:
    """Statements of policies, one at a time; `take` is None for what cannot be told whole."""

    def __init__(self, found: Policies) -> None:
        self.found = found
        self.names: set[str] = set()

    def take(self, node: Node) -> Said | None:
        name = self._free(name_for(node.text("name") or ""))
        said: dict[str, Any] = {"name": name}
        match: dict[str, Any] = {}
        calls: list[str] = []
        conditions, actions = node.child("conditions"), node.child("actions")
        covered = conditions is None or self._conditions(conditions, match, calls)
        settings: dict[str, Any] = {}
        result = self._actions(actions, settings) if actions is not None else ""
        if not covered or result is None or len(calls) > 1:
            node.unknown(f"statement {name} has what is not modelled; left out")
            return None
        if match:
            said["match"] = match
        if settings:
            said["set"] = settings
        if calls:
            said["call"] = calls[0]
        if result:
            said["then"] = result
        return Said(said, node.remark)

    def _free(self, wish: str) -> str:
        """A name that no statement before has."""
        name, number = wish, 2
        while name in self.names:
            name, number = f"{wish}-{number}", number + 1
        self.names.add(name)
        return name

    def _conditions(self, node: Node, match: dict[str, Any], calls: list[str]) -> bool:
        covered = True
        called = node.text("call-policy")
        if called:
            calls.append(name_for(called))
        source = node.identity("source-protocol")
        if source is not None:
            covered &= self._worded(node, match, "protocol", [source[1]], _SOURCES)
        types = node.child("match-route-type")
        if types is not None:
            words = types.leaf("route-type")
            listed = words if isinstance(words, list) else [words]
            plain = [str(word).rpartition(":")[2] for word in listed]
            covered &= self._worded(types, match, "route-type", plain, _ROUTE_TYPES)
        for container, leaf, key, sets in (
            ("match-prefix-set", "prefix-set", "prefixes", self.found.prefixes),
            ("match-neighbor-set", "neighbor-set", "neighbours", self.found.neighbours),
            ("match-tag-set", "tag-set", "tags", self.found.tags),
        ):
            inner = node.child(container)
            if inner is not None:
                covered &= self._set(inner, leaf, key, sets, match, calls)
        if node.has("match-interface"):
            inner = node.child("match-interface")
            if inner is not None:
                inner.ignore_all()
            node.unknown("the interface of a route's next hop is not asked for", "match-interface")
            covered = False
        return covered and node.all_used

    def _worded(
        self,
        node: Node,
        match: dict[str, Any],
        key: str,
        words: list[str],
        known: dict[str, list[str]],
    ) -> bool:
        strangers = [word for word in words if word not in known]
        if strangers:
            node.unknown(f"no {key} that is known: {strangers[0]}")
            return False
        match[key] = [one for word in words for one in known[word]]
        return True

    def _set(
        self,
        node: Node,
        leaf: str,
        key: str,
        sets: dict[str, list[Any]],
        match: dict[str, Any],
        calls: list[str],
    ) -> bool:
        name = name_for(node.text(leaf) or "")
        options = (node.text("match-set-options") or "any").rpartition(":")[2]
        if name not in sets:
            node.unknown(f"there is no set {name}, or it holds nothing", leaf)
            return False
        if options == "invert":
            made = f"not-in-{name}"
            match_set = {"name": "held", "match": {key: name}, "then": "reject"}
            self.found.policies[made] = {"statements": [Said(match_set)], "default": "accept"}
            calls.append(made)
            return True
        if options != "any":
            node.unknown(f"match-set-options is {options}", "match-set-options")
            return False
        match[key] = name
        return True

    def _actions(self, node: Node, settings: dict[str, Any]) -> str | None:
        """What a statement sets; how it decides, empty: not at all, None: not all is modelled."""
        covered = True
        metric = node.child("set-metric")
        if metric is not None:
            way = metric.text("metric-modification") or "set-metric"
            value = metric.number("metric", high=_LARGEST_TAG)
            keys = {"set-metric": "metric", "add-metric": "metric-add"}
            if value is None or way not in keys:
                metric.unknown(f"{way} is not modelled")
                covered = False
            else:
                settings[keys[way]] = value
        kind = node.child("set-metric-type")
        if kind is not None:
            word = kind.identity("metric-type")
            if word is None or word[1] not in _METRIC_TYPES:
                kind.unknown("this type of metric is not modelled")
                covered = False
            else:
                settings["metric-type"] = _METRIC_TYPES[word[1]]
        if node.has("set-tag"):
            tag = _tag(node.leaf("set-tag"))
            if tag is None:
                node.unknown("set-tag is no tag", "set-tag")
                covered = False
            else:
                settings["tag"] = tag
        result = node.text("policy-result")
        if result is not None and result not in _RESULTS:
            node.unknown(f"no result: {result}", "policy-result")
            covered = False
        if not covered or not node.all_used:
            return None
        return _RESULTS.get(result or "", "")
