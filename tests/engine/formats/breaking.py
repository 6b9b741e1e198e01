"""Sound data, broken at random: for tests that nothing of it makes a reader fail."""

from __future__ import annotations

import copy
import random
from collections.abc import Iterator
from typing import Any

__all__ = ["broken"]

_ODD = [None, True, -1, 2**70, 1.5, "", "x", "::/129", "10.0.0.0/33", "\u00fc\n", "a: b # c", [], {}, [None],
        [[]], {"a": 1}, "[", "'", '"', "0.0.0.0/0", "yes", "{", "- ", "? ", "\x00", "\u2028", "\ud800"]  # fmt: skip


def _places(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Where something stands in data, by keys and positions."""
    if path:
        yield path
    inner: Any = ()
    if isinstance(value, dict):
        inner = value.items()
    elif isinstance(value, list):
        inner = enumerate(value)
    for key, each in inner:
        yield from _places(each, (*path, key))


def broken(data: Any, dice: random.Random) -> Any:
    """A copy in which up to three members are dropped, doubled, or another kind of thing."""
    data = copy.deepcopy(data)
    for _ in range(dice.randint(1, 3)):
        found = list(_places(data))
        if not found:
            break
        *above, key = dice.choice(found)
        holder = data
        for step in above:
            holder = holder[step]
        match dice.randrange(3):
            case 0:
                del holder[key]
            case 1:
                holder[key] = copy.deepcopy(dice.choice(_ODD))
            case _ if isinstance(holder, list):
                holder.append(copy.deepcopy(holder[key]))
    return data
