"""Packet filters and where they are bound: ietf-access-control-list (RFC 8519)."""

from __future__ import annotations

from typing import Any

from routrel.formats.device_text import Said, name_for
from routrel.formats.yang.interfaces import YangInterface
from routrel.formats.yang.tree import Node
from routrel.model.traffic import PROTOCOL_NUMBERS, TCP_FLAGS, protocol_word

__all__ = ["read_acls"]

ACL = "ietf-access-control-list"
_FAMILIES = {
    "ipv4-acl-type": 4, "ipv6-acl-type": 6, "mixed-eth-ipv4-acl-type": 4,
    "mixed-eth-ipv6-acl-type": 6,
}  # fmt: skip


def read_acls(
    data: Node, interfaces: dict[str, YangInterface], filters: dict[str, dict[str, Any]]
) -> None:
    """Add the filters of a file, and bind them to the interfaces that it names."""
    holder = data.child("acls", ACL)
    if holder is None:
        return
    for node in holder.items("acl"):
        name = node.text("name")
        if not name:
            node.unknown("a list without a name")
            continue
        filters[name_for(name)] = _filter(node, name)
    for node in holder.listed("attachment-points", "interface"):
        wanted = node.text("interface-id") or ""
        bound = interfaces.get(wanted)
        for direction, way in (("ingress", "in"), ("egress", "out")):
            names = _attached(node, direction)
            if names and bound is None:
                node.unknown(f"{wanted or 'nothing'} is no interface here; nothing is bound")
            elif names and bound is not None:
                uses = bound.more.setdefault("filters", {})
                uses[way] = names[0] if len(names) == 1 else names


def _attached(node: Node, direction: str) -> list[str]:
    found = []
    way = node.child(direction)
    for item in way.listed("acl-sets", "acl-set") if way else ():
        item.ignore("ace-statistics")
        name = item.text("name")
        if name:
            found.append(name_for(name))
    return found


def _filter(node: Node, name: str) -> dict[str, Any]:
    kind = node.identity("type")
    family = _FAMILIES.get(kind[1]) if kind else None
    if kind is not None and kind[1] == "eth-acl-type":
        node.unknown(f"{name} is of type {kind[1]}; what it asks of frames is not modelled")
    rules: list[Said] = []
    if family is not None:
        other = "::/0" if family == 4 else "0.0.0.0/0"
        rules.append(Said({"id": 1, "permit": "any", "from": other}, "it is for the other family"))
    for number, ace in enumerate(node.listed("aces", "ace"), start=1):
        rules += _rules(ace, number * 10, family)
    node.note(f"what {name} does with what no entry matches is left to the device; taken to drop")
    return {"description": name, "rules": rules, "default": "deny"}


def _rules(ace: Node, number: int, family: int | None) -> list[Said]:
    """An entry as rules: one, or two where ports other than one are asked for."""
    name = ace.text("name") or ""
    ace.ignore("statistics")
    actions = ace.child("actions")
    action = actions.identity("forwarding") if actions else None
    if actions is not None:
        actions.ignore("logging")
    words = {"accept": "permit", "drop": "deny", "reject": "deny"}
    if action is None or action[1] not in words:
        ace.unknown(f"entry {name} neither accepts nor drops; left out")
        return []
    matches = ace.child("matches")
    keys: dict[str, Any] = {}
    protocol: int | None = None
    if matches is not None:
        found = _matches(matches, keys)
        if found is None:
            ace.unknown(f"entry {name} asks for what is not modelled; left out")
            return []
        protocol = found if found >= 0 else None
    version = family if "from" not in keys and "to" not in keys else None
    version = keys.pop("family", version)
    if version is not None and "from" not in keys and "to" not in keys:
        keys["from"] = "0.0.0.0/0" if version == 4 else "::/0"
    word: Any = "any" if protocol is None else protocol_word(protocol)
    said = {"id": number, words[action[1]]: word, **keys}
    if name:
        said["description"] = name
    return [Said(said, ace.remark)]


def _matches(node: Node, keys: dict[str, Any]) -> int | None:
    """Take what an entry asks for; the protocol's number, -1 for any. None: not all is modelled."""
    covered, protocol = True, -1
    if node.has("eth"):
        inner = node.child("eth")
        if inner is not None:
            inner.ignore_all()
        node.unknown("what it asks of frames is not modelled", "eth")
        covered = False
    for version in (4, 6):
        inner = node.child(f"ipv{version}")
        if inner is None:
            continue
        keys["family"] = version
        dscp = inner.number("dscp", high=63)
        if dscp is not None:
            keys["dscp"] = dscp
        number = inner.number("protocol", high=255)
        protocol = protocol if number is None else number
        for end, word in (("source", "from"), ("destination", "to")):
            prefix = inner.prefix(f"{end}-ipv{version}-network")
            if prefix is not None:
                keys[word] = str(prefix)
        covered = _nothing_else(inner) and covered
    for word in ("tcp", "udp", "icmp"):
        inner = node.child(word)
        if inner is None:
            continue
        number = PROTOCOL_NUMBERS[word]
        if word == "icmp" and keys.get("family") == 6:
            number = PROTOCOL_NUMBERS["icmpv6"]
        if protocol not in (-1, number):
            node.unknown(f"asks for {word} and for another protocol, so it never matches")
            covered = False
        protocol = number
        covered = _layer_four(inner, word, keys) and covered
    for leaf, word in (("ingress-interface", "arrives"), ("egress-interface", "leaves")):
        name = node.text(leaf)
        if name:
            keys[word] = name_for(name)
    return protocol if covered else None


def _layer_four(node: Node, word: str, keys: dict[str, Any]) -> bool:
    if word == "icmp":
        for leaf, key in (("type", "icmp-type"), ("code", "icmp-code")):
            number = node.number(leaf, high=255)
            if number is not None:
                keys[key] = number
        return _nothing_else(node)
    for end, key in (("source-port", "from-port"), ("destination-port", "to-port")):
        ports = node.child(end)
        if ports is not None:
            found = _ports(ports)
            if found is None:
                return False
            if found:
                keys[key] = found[0] if len(found) == 1 else found
    flags = node.text("flags") if word == "tcp" else None
    if flags:
        wanted = flags.split()
        if not set(wanted) <= set(TCP_FLAGS):
            node.unknown(f"flags that are not known: {flags}", "flags")
            return False
        keys["tcp-flags"] = wanted
    return _nothing_else(node)


def _ports(node: Node) -> list[int | str] | None:
    """The ports of a range or an operator; empty: all. None: they cannot be read."""
    lower = node.number("lower-port", high=65535)
    upper = node.number("upper-port", high=65535)
    port = node.number("port", high=65535)
    operator = node.text("operator") or "eq"
    if lower is not None and upper is not None:
        if lower > upper:
            node.unknown(f"ports from {lower} to {upper}, so it never matches")
            return None
        return [lower if lower == upper else f"{lower}-{upper}"]
    port = lower if port is None else port
    if port is None:
        return [] if _nothing_else(node) else None
    match operator:
        case "eq":
            return [port]
        case "lte":
            return [f"0-{port}"]
        case "gte":
            return [f"{port}-65535"]
        case "neq":
            low = [f"0-{port - 1}"] if port else []
            high = [f"{port + 1}-65535"] if port < 65535 else []
            return [*low, *high]
    node.unknown(f"the operator {operator} is not known")
    return None


def _nothing_else(node: Node) -> bool:
    """Whether all that a container asks for was taken; what was not is named later."""
    return node.all_used
