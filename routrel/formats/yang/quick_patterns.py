"""Which members an object may have by its module, remembered.

The validator library tells whether an object's members fit by differentiating a pattern by each
name, anew for each object. Devices have the same few members over and over, so what a pattern
comes to after a name is kept: an automaton that is made as it is used. Conditions (`when`) are
evaluated for each object as before; what follows from names is kept for each of their outcomes.
"""

from __future__ import annotations

from collections.abc import Iterator

from yangson.datamodel import DataModel
from yangson.enumerations import ContentType
from yangson.instance import InstanceNode
from yangson.schemanode import InternalNode
from yangson.schpattern import Conditional, NotAllowed, SchemaPattern

__all__ = ["remember_patterns"]


def remember_patterns(models: DataModel) -> None:
    """Let every node of a data model remember what its pattern comes to."""
    models.from_raw({}).validate()  # it makes all patterns with the first one that is wanted
    waiting: list[InternalNode] = [models.schema]
    for node in waiting:
        if node.schema_pattern is not None:
            node.schema_pattern = _Remembered(node.schema_pattern)
        waiting.extend(child for child in node.children if isinstance(child, InternalNode))


class _State(SchemaPattern):  # type: ignore[misc]  # the library has no types
    """A pattern, and those that follow from it by a member's name."""

    def __init__(self, pattern: SchemaPattern) -> None:
        self._pattern = pattern
        self._after: dict[tuple[str, ContentType], SchemaPattern] = {}
        self._nullable: dict[ContentType, bool] = {}

    def deriv(self, x: str, ctype: ContentType) -> SchemaPattern:
        """What is left to come after a member."""
        found = self._after.get((x, ctype))
        if found is None:
            derived = self._pattern.deriv(x, ctype)
            found = derived if isinstance(derived, NotAllowed) else _State(derived)
            self._after[x, ctype] = found
        return found

    def nullable(self, ctype: ContentType) -> bool:
        """Whether nothing more has to come."""
        if ctype not in self._nullable:
            self._nullable[ctype] = self._pattern.nullable(ctype)
        return self._nullable[ctype]

    def _mandatory_members(self, ctype: ContentType) -> list[str]:
        # A choice that has to be made need not have a member that has to be there.
        found: list[str] | None = self._pattern._mandatory_members(ctype)
        return found or []


class _Remembered(SchemaPattern):  # type: ignore[misc]  # the library has no types
    """The pattern of a node, for each outcome of its conditions."""

    def __init__(self, pattern: SchemaPattern) -> None:
        self._pattern, self._conditions = pattern, tuple(_conditions(pattern))
        self._states: dict[tuple[bool, ...], _State] = {}
        self._state = _State(pattern)

    def _eval_when(self, cnode: InstanceNode) -> None:
        self._pattern._eval_when(cnode)
        outcome = tuple(bool(one._val_when) for one in self._conditions)
        if outcome not in self._states:
            self._states[outcome] = _State(self._pattern)
        self._state = self._states[outcome]

    def deriv(self, x: str, ctype: ContentType) -> SchemaPattern:
        """What is left to come after a member."""
        return self._state.deriv(x, ctype)

    def nullable(self, ctype: ContentType) -> bool:
        """Whether nothing has to come."""
        return self._state.nullable(ctype)

    def _mandatory_members(self, ctype: ContentType) -> list[str]:
        return self._state._mandatory_members(ctype)


def _conditions(pattern: SchemaPattern) -> Iterator[Conditional]:
    """The conditions inside a pattern."""
    if isinstance(pattern, Conditional) and pattern.when:
        yield pattern
    for name in ("pattern", "left", "right"):
        inner = getattr(pattern, name, None)
        if isinstance(inner, SchemaPattern):
            yield from _conditions(inner)
