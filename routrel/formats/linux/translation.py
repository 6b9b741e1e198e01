"""A host's translation, from its chains of that kind.

The rules of chains that are jumped to stand where the jump does, with what it asks for.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from routrel.formats.device_text import Said
from routrel.formats.linux.bundle import listed
from routrel.formats.linux.matches import (
    ANYTHING,
    MALFORMED,
    Condition,
    NotCovered,
    asks_for,
    both,
    condition_of,
    written,
)
from routrel.formats.linux.ruleset import (
    Chain,
    NftRule,
    Ruleset,
    Statement,
    alternatives,
    pairs_of,
    word_of,
)

__all__ = ["translation_rules"]

#: What chains at a hook may change, and how rules say that a packet is left alone there.
_HOOKS: Mapping[str, tuple[str, ...]] = {
    "prerouting": ("dnat", "redirect"), "output": ("dnat",), "postrouting": ("snat", "masquerade"),
}  # fmt: skip


def translation_rules(ruleset: Ruleset, interfaces: Mapping[str, str]) -> list[Said]:
    """The translation rules of a host, numbered.

    Args:
        interfaces: What each interface is called in the file.
    """
    found: list[Said] = []
    for hook in ("prerouting", "output", "postrouting"):
        chains = ruleset.at(hook, "nat")
        for number, chain in enumerate(chains):
            for keys, remark in _Flattened(ruleset, chain, interfaces).rules():
                if "keep" in keys and chains[number + 1 :]:
                    text = "what leaves one chain alone may meet another; taken as left alone"
                    ruleset.unknown(chain, text)
                found.append(Said({"id": 10 * (len(found) + 1), **keys}, remark))
    for chain in ruleset.at("input", "nat"):
        if chain.rules:
            ruleset.unknown(chain, "translation of sources on arrival is not modelled")
    return found


class _Flattened:
    """The rules of a chain at a hook, with those of the chains that it leads to."""

    def __init__(self, ruleset: Ruleset, chain: Chain, interfaces: Mapping[str, str]) -> None:
        self.ruleset, self.base, self.interfaces = ruleset, chain, interfaces
        self._within: list[Chain] = []

    def rules(self) -> Iterator[tuple[dict[str, Any], str]]:
        yield from self._of(self.base, [ANYTHING])

    def _of(self, chain: Chain, outer: Sequence[Condition]) -> Iterator[tuple[dict[str, Any], str]]:
        """The keys of each rule of a chain for what comes to it, and where it stands."""
        self._within.append(chain)
        for rule in chain.rules:
            try:
                made = list(self._rule(chain, rule, outer))
            except (NotCovered, *MALFORMED) as error:
                text = f"rule {rule.handle} {asks_for(error)}; left out"
                self.ruleset.unknown(chain, text, rule.line)
                continue
            yield from ((keys, remark) for keys, remark in made if keys is not None)
            if any(keys is None for keys, _ in made):
                break
        self._within.pop()

    def _rule(
        self, chain: Chain, rule: NftRule, outer: Sequence[Condition]
    ) -> Iterator[tuple[dict[str, Any] | None, str]]:
        """As `_of`; None in place of keys where whatever comes so far goes back."""
        for step in alternatives(self.ruleset, chain, rule, tuple(self.interfaces)):
            conditions = [c for a in outer for b in step.conditions if (c := both(a, b))]
            if step.excepted:
                raise NotCovered("all but some")
            remark = chain.remark(rule)
            if step.does in ("jump", "goto"):
                target = self.ruleset.chains.get((chain.family, chain.table, str(step.target)))
                if target is None or target in self._within:
                    raise NotCovered(f"the chain {step.target}")
                if step.does == "goto" and chain is not self.base:
                    raise NotCovered("a way on without coming back")
                yield from self._of(target, conditions)
                if step.does == "goto":
                    yield from self._kept(conditions, remark)
            elif step.does == "accept" or (step.does == "return" and chain is self.base):
                yield from self._kept(conditions, remark)
            elif step.does == "return":
                if step.conditions != [Condition(family=chain.version)]:
                    raise NotCovered("a way back for some")
                yield None, remark
            elif step.does in ("drop", "mark"):
                raise NotCovered(f"“{step.does}” in a chain of translation")
            else:
                yield from self._changed(chain, rule, step, conditions)

    def _kept(
        self, conditions: Sequence[Condition], remark: str
    ) -> Iterator[tuple[dict[str, Any], str]]:
        side = "source" if self.base.hook == "postrouting" else "destination"
        for condition in conditions:
            keys = {"keep": True, "side": side, **self._own(), **self._keys(condition)}
            yield keys, remark

    def _own(self) -> dict[str, bool]:
        return {"own-traffic": True} if self.base.hook == "output" else {}

    def _keys(self, condition: Condition) -> dict[str, Any]:
        keys = written(condition, lambda name: self.interfaces[name])
        protocol = word_of(condition)
        return {"protocol": protocol, **keys} if protocol != "any" else keys

    def _changed(
        self, chain: Chain, rule: NftRule, step: Statement, conditions: Sequence[Condition]
    ) -> Iterator[tuple[dict[str, Any], str]]:
        if step.does not in _HOOKS[self.base.hook]:
            raise NotCovered(f"“{step.does}” at {self.base.hook}")
        value = step.target if isinstance(step.target, Mapping) else {}
        if any("random" in str(flag) for flag in listed(value.get("flags"))):
            self.ruleset.note(chain, f"rule {rule.handle} chooses ports at random", rule.line)
        end = "source" if self.base.hook == "postrouting" else "destination"
        for narrower, address, port, whole in self._new_ends(chain, value):
            new: dict[str, Any] = {f"new-{end}": "interface" if address is None else address}
            if address is None and step.does in ("snat", "dnat"):
                raise NotCovered("a new port with the old address")
            port = value.get("port") if port is None else port
            if port is not None:
                new[f"new-{end}-port"] = _port_words(port)
            if whole:
                new["prefix-to-prefix"] = True
            for condition in conditions:
                kept = both(condition, narrower)
                if kept is None:
                    continue
                if port is not None and kept.protocol is None:
                    raise NotCovered("a new port for every protocol")
                yield {**new, **self._own(), **self._keys(kept)}, chain.remark(rule)

    def _new_ends(
        self, chain: Chain, value: Mapping[str, Any]
    ) -> Iterator[tuple[Condition, str | None, Any, bool]]:
        """What addresses become: with what a packet must have, a port, whether by place."""
        address = value.get("addr")
        if not isinstance(address, Mapping) or "map" not in address:
            yield ANYTHING, None if address is None else _address_words(address), None, False
            return
        known = self.ruleset.known(chain, tuple(self.interfaces))
        mapped = address["map"]
        by_place = "prefix" in listed(value.get("type_flags")) or "netmap" in listed(
            value.get("flags")
        )
        for key, new in pairs_of(mapped.get("data"), known):
            found, without = condition_of(mapped["key"], "==", key, known)
            if without:
                raise NotCovered("a map with exceptions")
            port = None
            if isinstance(new, Mapping) and "concat" in new:
                new, port = new["concat"]
            for condition in found:
                yield condition, _address_words(new), port, by_place


def _address_words(value: Any) -> str:
    if isinstance(value, str):
        return value
    if isinstance(value, Mapping) and "range" in value:
        return "-".join(map(str, value["range"]))
    if isinstance(value, Mapping) and "prefix" in value:
        return f"{value['prefix']['addr']}/{value['prefix']['len']}"
    raise NotCovered(f"the new address {value}")


def _port_words(value: Any) -> int | str:
    if isinstance(value, Mapping) and "range" in value:
        low, high = value["range"]
        return f"{low}-{high}"
    if isinstance(value, int) and not isinstance(value, bool):
        return value
    raise NotCovered(f"the new port {value}")
