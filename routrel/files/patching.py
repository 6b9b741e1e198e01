"""Changes single values in a file's text and leaves everything else as its author wrote it.

Places are paths of keys and list positions, as ("filters", "wan-in", "rules", 2). What was written
in block style grows by lines, what was written in flow style grows inside its brackets.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import yaml

from routrel.files.yaml_tree import (
    LOADER,
    Path,
    child,
    find,
    find_or_none,
    is_flow,
    is_nothing,
    last_line,
    root,
)

__all__ = [
    "FilePatch",
    "Path",
    "copy_item",
    "copy_key",
    "edited_lines",
    "edited_texts",
    "flow_style",
    "insert_item",
    "is_yaml",
    "lines_changed",
    "move_item",
    "path_at",
    "put",
    "quoted",
    "remove",
    "set_key",
    "set_value",
]

#: Columns above which a new value is written as a block of lines.
_WIDTH = 100


@dataclass(frozen=True, slots=True)
class FilePatch:
    """Lines of one file that change: those from `line` on that go, and those that come."""

    file: str
    line: int  #: 1-based; where nothing goes, the line in front of which the new ones come
    before: tuple[str, ...]
    after: tuple[str, ...]


def path_at(text: str, line: int, column: int, *, named: bool = False) -> Path:
    """The path of what begins at a place; line and column count from 1.

    A block begins where its first key does. So the caller says which of the two is meant.

    Args:
        named: True for what has its name as key, and counts from there; False for a value.
    Raises:
        KeyError: nothing of that kind begins there.
    """
    pending: list[tuple[Path, yaml.Node]] = [((), root(text))]
    while pending:
        path, node = pending.pop(0)
        entries: list[tuple[str | int, yaml.Mark | None, yaml.Node]] = []
        if isinstance(node, yaml.MappingNode):
            entries = [(k.value, k.start_mark, v) for k, v in node.value]
        elif isinstance(node, yaml.SequenceNode):
            entries = [(n, None, v) for n, v in enumerate(node.value)]
        for step, key_mark, value in entries:
            mark = key_mark if named else value.start_mark
            if mark is not None and (mark.line + 1, mark.column + 1) == (line, column):
                return (*path, step)
            pending.append(((*path, step), value))
    raise KeyError(f"nothing begins at line {line}, column {column}")


def edited_lines(file: str, before: str, after: str) -> tuple[FilePatch, ...]:
    """What differs between two texts of a file, as runs of lines."""
    old, new = before.splitlines(), after.splitlines()
    matcher = difflib.SequenceMatcher(a=old, b=new, autojunk=False)
    return tuple(
        FilePatch(file, i + 1, tuple(old[i:j]), tuple(new[k:m]))
        for tag, i, j, k, m in matcher.get_opcodes()
        if tag != "equal"
    )


def edited_texts(before: Mapping[str, str], after: Mapping[str, str]) -> tuple[FilePatch, ...]:
    """What differs between files, in order of path; `after` may hold some of them alone."""
    return tuple(
        patch
        for file in sorted(after)
        if after[file] != before[file]
        for patch in edited_lines(file, before[file], after[file])
    )


def lines_changed(patches: Iterable[FilePatch]) -> int:
    """How many lines change."""
    return sum(max(len(patch.before), len(patch.after)) for patch in patches)


def is_yaml(text: str) -> bool:
    """Whether a text is one document of YAML that is not empty."""
    try:
        return yaml.compose(text, Loader=LOADER) is not None
    except yaml.YAMLError:
        return False


def quoted(value: object) -> str:
    """An address or prefix as flow-style YAML."""
    text = str(value)
    return f'"{text}"' if ":" in text else text


def flow_style(values: Mapping[str, object]) -> str:
    """Keys and values on one line: {id: 10, permit: tcp}."""
    return "{" + ", ".join(f"{key}: {value}" for key, value in values.items()) + "}"


def set_value(text: str, path: Path, value: str) -> str:
    """Put another value in the place of one that stands there, as flow-style YAML.

    Raises:
        KeyError: there is nothing at the path.
    """
    node = find(root(text), path)
    if not isinstance(node, yaml.ScalarNode) and not is_flow(node):
        raise KeyError("a block of lines is no single value")
    if is_nothing(node):
        value = " " + value
    return _replaced(text, node.start_mark, node.end_mark, value)


def put(text: str, path: Path, value: str) -> str:
    """Put a value where another stands, whether on one line or a block of lines.

    Raises:
        KeyError: there is nothing at the path.
    """
    node = find(root(text), path)
    if isinstance(node, yaml.ScalarNode) or is_flow(node):
        return set_value(text, path, value)
    parent, last = find(root(text), path[:-1]), path[-1]
    start, end, _, _ = _extent(parent, last)
    lines = text.splitlines(keepends=True)
    if isinstance(parent, yaml.MappingNode):
        new = _written(" " * start.column, f"{last}: ", value)
        first = start.line
    else:
        first = _dash_line(lines, parent, start.line)
        new = _written(" " * parent.start_mark.column, "- ", value)
    if parent.value and isinstance(parent, yaml.MappingNode):
        # What stands in front of the key on its line, as the dash of an item, stays.
        new[0] = lines[first][: start.column] + new[0][start.column :]
    return "".join([*lines[:first], *(f"{line}\n" for line in new), *lines[end + 1 :]])


def move_item(text: str, path: Path, position: int) -> str:
    """Move an item of a list in front of the one at a position, counted before it moves.

    Its lines move as they are; a position behind the last makes it the last.

    Raises:
        KeyError: there is no such item.
    """
    parent, place = find(root(text), path[:-1]), path[-1]
    if not isinstance(parent, yaml.SequenceNode) or not isinstance(place, int):
        raise KeyError(f"{place} is no item of a list")
    item = find(parent, (place,))
    position = min(position, len(parent.value))
    if position in (place, place + 1):
        return text
    if is_flow(parent):
        value = _between(text, item.start_mark, item.end_mark)
        without = remove(text, path)
        return insert_item(without, path[:-1], position - (position > place), value)
    lines = text.splitlines(keepends=True)
    if not lines[-1].endswith("\n"):
        lines[-1] += "\n"

    def first_line(number: int) -> int:
        if number == len(parent.value):
            return last_line(parent) + 1
        return _dash_line(lines, parent, parent.value[number].start_mark.line)

    first, end = first_line(place), last_line(item) + 1
    moved, target = lines[first:end], first_line(position)
    if target > first:
        return "".join([*lines[:first], *lines[end:target], *moved, *lines[target:]])
    return "".join([*lines[:target], *moved, *lines[target:first], *lines[end:]])


def set_key(text: str, path: Path, key: str, value: str) -> str:
    """Set a key of the mapping at a path; the mappings on the way are added where they are missing.

    Args:
        value: Flow-style YAML, as `true` or `{area: 0}`.
    """
    node = root(text)
    for place, step in enumerate(path):
        below = child(node, step)
        if below is None or is_nothing(below):
            for missing in reversed(path[place + 1 :]):
                key, value = str(missing), f"{{{key}: {value}}}"
            if below is not None:
                return set_value(text, path[: place + 1], f"{{{key}: {value}}}")
            return _grown(text, node, str(step), f"{{{key}: {value}}}")
        node = below
    if child(node, key) is not None:
        return set_value(text, (*path, key), value)
    return _grown(text, node, key, value)


def insert_item(text: str, path: Path, position: int, value: str) -> str:
    """Insert an item into the list at a path; a missing list is added.

    Args:
        position: Which item it becomes; behind the last where it is larger.
    """
    node = find_or_none(root(text), path)
    if node is None or is_nothing(node):
        if node is not None:
            return set_value(text, path, f"[{value}]")
        return set_key(text, path[:-1], str(path[-1]), f"[{value}]")
    if not isinstance(node, yaml.SequenceNode):
        # One value may stand for a list of one.
        old = _between(text, node.start_mark, node.end_mark)
        pair = [old, value] if position > 0 else [value, old]
        return set_value(text, path, f"[{', '.join(pair)}]")
    items = node.value
    if is_flow(node):
        if not items:
            return _replaced(text, node.start_mark, node.end_mark, f"[{value}]")
        if position < len(items):
            start = items[position].start_mark
            return _replaced(text, start, start, f"{value}, ")
        return _replaced(text, items[-1].end_mark, items[-1].end_mark, f", {value}")
    dash = " " * node.start_mark.column + "- "
    if position < len(items):
        line = items[position].start_mark.line
    else:
        line = last_line(items[-1]) + 1
    return _with_line(text, line, f"{dash}{value}")


def copy_key(text: str, path: Path, key: str) -> str:
    """Write what stands under a key once more under another key, behind the others.

    Comments between its lines are copied with it.

    Raises:
        KeyError: there is nothing at the path, or the key is taken.
    """
    parent, last = find(root(text), path[:-1]), path[-1]
    if not isinstance(parent, yaml.MappingNode):
        raise KeyError(f"{last} is no key")
    if child(parent, key) is not None:
        raise KeyError(f"{key} stands there already")
    old, value = next((k, v) for k, v in parent.value if k.value == str(last))
    if is_flow(parent):
        return _grown(text, parent, key, _between(text, value.start_mark, value.end_mark))
    lines = text.splitlines(keepends=True)
    first, end = old.start_mark.line, last_line(value)
    head = lines[first]
    lines[first] = head[: old.start_mark.column] + key + head[old.end_mark.column :]
    copied = "".join(lines[first : end + 1]).rstrip("\n")
    return _with_line(text, last_line(parent) + 1, copied)


def copy_item(text: str, path: Path) -> str:
    """Write an item of a list once more, in front of itself; comments between its lines with it.

    Raises:
        KeyError: there is no such item.
    """
    parent, place = find(root(text), path[:-1]), path[-1]
    if not isinstance(parent, yaml.SequenceNode) or not isinstance(place, int):
        raise KeyError(f"{place} is no item of a list")
    item = find(parent, (place,))
    if is_flow(parent):
        return insert_item(text, path[:-1], place, _between(text, item.start_mark, item.end_mark))
    lines = text.splitlines(keepends=True)
    first = _dash_line(lines, parent, item.start_mark.line)
    return _with_line(text, first, "".join(lines[first : last_line(item) + 1]).rstrip("\n"))


def remove(text: str, path: Path) -> str:
    """Take a key with its value, or an item of a list, out of a text.

    Raises:
        KeyError: there is nothing at the path.
    """
    parent, last = find(root(text), path[:-1]), path[-1]
    start, end, place, count = _extent(parent, last)
    if is_flow(parent):
        if count == 1:
            empty = "[]" if isinstance(parent, yaml.SequenceNode) else "{}"
            return _replaced(text, parent.start_mark, parent.end_mark, empty)
        return _without_flow_item(text, parent, place)
    lines = text.splitlines(keepends=True)
    if count == 1 and isinstance(parent, yaml.SequenceNode):
        # The list stays, empty, behind its key and in front of a comment.
        holder = find(root(text), path[:-2])
        if not isinstance(holder, yaml.MappingNode):
            raise KeyError("a list in a list keeps its last item")
        mark = next(key.end_mark for key, _ in holder.value if key.value == str(path[-2]))
        colon = lines[mark.line].index(":", mark.column) + 1
        lines[mark.line] = lines[mark.line][:colon] + " []" + lines[mark.line][colon:]
    elif count == 1 and len(path) > 1:
        return remove(text, path[:-1])
    del lines[start.line : end + 1]
    return "".join(lines)


def _extent(parent: yaml.Node, last: str | int) -> tuple[yaml.Mark, int, int, int]:
    """Where an entry begins, the line it ends on, its position, and how many there are."""
    if isinstance(parent, yaml.MappingNode):
        for place, (key, value) in enumerate(parent.value):
            if key.value == str(last):
                return key.start_mark, last_line(value), place, len(parent.value)
    elif isinstance(last, int) and last < len(parent.value):
        item = parent.value[last]
        return item.start_mark, last_line(item), last, len(parent.value)
    raise KeyError(f"nothing stands at {last}")


# --- the text ------------------------------------------------------------------------------------


def _dash_line(lines: list[str], parent: yaml.Node, line: int) -> int:
    """The line with the dash of an item of a block list that begins on a line."""
    column = parent.start_mark.column
    while lines[line][column : column + 1] != "-":
        line -= 1
    return line


def _offset(text: str, mark: yaml.Mark) -> int:
    lines = text.splitlines(keepends=True)
    return sum(len(line) for line in lines[: mark.line]) + mark.column


def _between(text: str, start: yaml.Mark, end: yaml.Mark) -> str:
    return text[_offset(text, start) : _offset(text, end)]


def _replaced(text: str, start: yaml.Mark, end: yaml.Mark, value: str) -> str:
    return text[: _offset(text, start)] + value + text[_offset(text, end) :]


def _with_line(text: str, line: int, value: str) -> str:
    """A text with one more line, in front of the one of a number from 0."""
    lines = text.splitlines(keepends=True)
    if lines and not lines[-1].endswith("\n"):
        lines[-1] += "\n"
    lines.insert(line, value + "\n")
    return "".join(lines)


def _grown(text: str, node: yaml.Node, key: str, value: str) -> str:
    """A mapping with one more key behind the others."""
    if not isinstance(node, yaml.MappingNode):
        raise KeyError(f"{key} needs keys around it")
    if is_flow(node):
        if not node.value:
            return _replaced(text, node.start_mark, node.end_mark, f"{{{key}: {value}}}")
        end = node.value[-1][1].end_mark
        return _replaced(text, end, end, f", {key}: {value}")
    indent = " " * node.start_mark.column
    lines = _written(indent, f"{key}: ", value)
    return _with_line(text, last_line(node) + 1, "\n".join(lines))


def _written(indent: str, head: str, value: str) -> list[str]:
    """A flow-style value behind its key or dash: on one line, or as a block where that is long."""
    line = indent + head + value
    node = yaml.compose(value, Loader=LOADER)
    if len(line) <= _WIDTH or not isinstance(node, yaml.CollectionNode) or not node.value:
        return [line]
    below, lines = indent + "  ", [(indent + head).rstrip()]
    if isinstance(node, yaml.SequenceNode):
        items = (_between(value, item.start_mark, item.end_mark) for item in node.value)
        return [*lines, *(f"{below}- {item}" for item in items)]
    for key, held in node.value:
        lines += _written(below, f"{key.value}: ", _between(value, held.start_mark, held.end_mark))
    return lines


def _without_flow_item(text: str, parent: yaml.Node, place: int) -> str:
    """A bracketed list or mapping without one of its entries and its comma."""
    entries = [
        (e[0].start_mark, e[1].end_mark) if isinstance(e, tuple) else (e.start_mark, e.end_mark)
        for e in parent.value
    ]
    start, end = entries[place]
    if place + 1 < len(entries):
        return _replaced(text, start, entries[place + 1][0], "")
    return _replaced(text, entries[place - 1][1], end, "")
