"""The nodes of a file's YAML, with the marks of where each begins and ends."""

from __future__ import annotations

import yaml

__all__ = [
    "LOADER",
    "Path",
    "child",
    "find",
    "find_or_none",
    "is_flow",
    "is_nothing",
    "last_line",
    "root",
]

#: Keys and list positions, from the root on.
Path = tuple[str | int, ...]

#: The quick one where PyYAML was built with it; both give the same nodes.
LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


def root(text: str) -> yaml.Node:
    node = yaml.compose(text, Loader=LOADER)
    if node is None:
        raise KeyError("an empty file has no places")
    return node


def child(node: yaml.Node, step: str | int) -> yaml.Node | None:
    if isinstance(node, yaml.MappingNode):
        return next((v for k, v in node.value if k.value == str(step)), None)
    if isinstance(node, yaml.SequenceNode) and isinstance(step, int):
        found: list[yaml.Node] = node.value[step : step + 1]
        return found[0] if found else None
    return None


def find_or_none(node: yaml.Node, path: Path) -> yaml.Node | None:
    found: yaml.Node | None = node
    for step in path:
        found = child(found, step) if found is not None else None
    return found


def find(node: yaml.Node, path: Path) -> yaml.Node:
    found = find_or_none(node, path)
    if found is None:
        raise KeyError(f"nothing stands at {'.'.join(str(step) for step in path)}")
    return found


def is_nothing(node: yaml.Node) -> bool:
    """Whether a key has nothing behind it."""
    return isinstance(node, yaml.ScalarNode) and not node.value and not node.style


def is_flow(node: yaml.Node) -> bool:
    """Whether a list or mapping stands in brackets."""
    return isinstance(node, yaml.CollectionNode) and bool(node.flow_style)


def last_line(node: yaml.Node) -> int:
    """The last line that a node stands on; the end of a block lies behind it."""
    if isinstance(node, yaml.ScalarNode) or is_flow(node) or not node.value:
        line: int = node.end_mark.line
        return line - 1 if getattr(node, "style", None) in ("|", ">") else line
    last = node.value[-1]
    return last_line(last[1] if isinstance(last, tuple) else last)
