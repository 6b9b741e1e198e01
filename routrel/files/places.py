"""Places of a file as people name them: keys, and items of lists by what names them."""

from __future__ import annotations

from collections.abc import Sequence

import yaml

from routrel.files.canonical import canonical_yaml
from routrel.files.yaml_tree import Path, child, find_or_none, root

__all__ = ["NoSuchItem", "item_count", "item_name", "path_of", "value_at"]


class NoSuchItem(KeyError):
    """A list has no item of that name."""


def value_at(text: str, path: Path) -> str | None:
    """What stands at a path, as `canonical_yaml` writes it; None: nothing."""
    node = find_or_none(root(text), path)
    return None if node is None else canonical_yaml(node)


def item_count(text: str, path: Path) -> int | None:
    """How many items the list at a path has; None where there is no list."""
    node = find_or_none(root(text), path)
    return len(node.value) if isinstance(node, yaml.SequenceNode) else None


#: The keys by whose value an item of a list is named, the first that it has.
_NAMING = ("id", "name", "to", "prefix", "from", "address")


def path_of(text: str, steps: Sequence[str]) -> Path:
    """The path of a place that is named by steps: keys, and items of lists by what names them.

    An item is named by its id, name, destination or prefix; a plain one by itself; any by its
    number as #3. Where keys are missing the rest of the path is as it was named.

    Raises:
        NoSuchItem: no item of a list has that name.
        KeyError: several have.
    """
    path: list[str | int] = []
    node: yaml.Node | None = root(text)
    for step in steps:
        if isinstance(node, yaml.SequenceNode):
            place = _named_item(node, step)
            path.append(place)
            node = node.value[place]
        else:
            path.append(step)
            node = child(node, step) if node is not None else None
    return tuple(path)


def _named_item(node: yaml.SequenceNode, step: str) -> int:
    if step.startswith("#") and step[1:].isdecimal():
        if not 1 <= int(step[1:]) <= len(node.value):
            raise NoSuchItem(f"the list has no item {step}")
        return int(step[1:]) - 1
    found = [place for place, item in enumerate(node.value) if item_name(item) == step]
    if not found:
        raise NoSuchItem(f"no item is called {step}")
    if len(found) > 1:
        raise KeyError(f"{len(found)} items are called {step}")
    return found[0]


def item_name(item: yaml.Node | None) -> str | None:
    """What an item of a list is named by; None: by its number alone."""
    if isinstance(item, yaml.ScalarNode):
        return str(item.value)
    if isinstance(item, yaml.MappingNode):
        values = {key.value: value for key, value in item.value}
        for key in _NAMING:
            if isinstance(values.get(key), yaml.ScalarNode):
                return str(values[key].value)
    return None
