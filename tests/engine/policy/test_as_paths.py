"""AS paths: lengths, private numbers and patterns, against the same said in other ways."""

from __future__ import annotations

import re
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from routrel.model.policy import AsPathPattern
from routrel.policy.as_paths import (
    AsPath,
    SegmentKind,
    as_path_text,
    fits,
    is_private,
    neighbouring_as,
    numbers_in,
    path_length,
    prepended,
    sequence,
    without_confederation,
    without_leading_private,
    without_private,
)

PUBLIC, PRIVATE = [1, 2, 64496, 65535], [64512, 65534, 4200000000, 4294967294]
NUMBERS = st.sampled_from(PUBLIC + PRIVATE)
SEGMENTS = st.tuples(
    st.sampled_from(list(SegmentKind)), st.lists(NUMBERS, min_size=1, max_size=3).map(tuple)
)
PATHS = st.lists(SEGMENTS, max_size=4).map(tuple)


def walks(path: AsPath) -> list[str]:
    """Every sequence that a path may stand for, as text: of a set each member in its place."""
    places: list[tuple[int, ...]] = []
    for kind, numbers in path:
        if kind is SegmentKind.SET:
            places.append(numbers)
        elif kind is SegmentKind.SEQUENCE:
            places.extend((number,) for number in numbers)
    return ["".join(f"<{number}>" for number in one) for one in product(*places)]


@given(PATHS, st.sampled_from(["begins", "passes", "ends", "only"]), st.lists(NUMBERS, max_size=3))
def test_a_pattern_fits_as_a_regular_expression_does(path, kind, numbers):
    """Written as <1><2>: begins at the start, ends at the end, only both, passes anywhere."""
    asked = re.escape("".join(f"<{number}>" for number in numbers))
    pattern = {
        "begins": f"^{asked}",
        "ends": f"{asked}$",
        "only": f"^{asked}$",
        "passes": asked,
    }[kind]
    expected = any(re.search(pattern, text) for text in walks(path))
    assert fits(AsPathPattern(kind, tuple(numbers)), path) == expected


@given(PATHS, st.integers(0, 6), st.integers(0, 6))
def test_lengths_are_those_that_the_decision_counts(path, shortest, more):
    """RFC 4271 9.1.2.2 a: a set is one; RFC 5065 5.3: what a confederation adds is none."""
    counted = 0
    for kind, numbers in path:
        counted += {SegmentKind.SET: 1, SegmentKind.SEQUENCE: len(numbers)}.get(kind, 0)
    assert path_length(path) == counted
    pattern = AsPathPattern("length", (), shortest, shortest + more)
    assert fits(pattern, path) == (shortest <= counted <= shortest + more)


@given(PATHS, st.lists(NUMBERS, max_size=3), st.sampled_from(list(SegmentKind)))
def test_numbers_put_in_front_stand_there_and_move_nothing(path, numbers, kind):
    made = prepended(path, *numbers, kind=kind)
    flat = [number for _, held in path for number in held]
    assert [number for _, held in made for number in held] == [*numbers, *flat]
    if kind is SegmentKind.SEQUENCE:
        assert path_length(made) == path_length(path) + len(numbers)
        if numbers:
            assert neighbouring_as(made) == numbers[0]
    if kind.is_confederation:
        assert without_confederation(made) == without_confederation(path)
        assert path_length(made) == path_length(path)


@given(PATHS, st.sampled_from([None, 64500]))
def test_private_numbers_go_or_are_replaced(path, replacement):
    """RFC 6996 5: 64512 to 65534 and 4200000000 to 4294967294."""
    made = without_private(path, replacement)
    flat = [number for _, held in path for number in held]
    kept = [number for _, held in made for number in held]
    if replacement is None:
        assert kept == [number for number in flat if number in PUBLIC]
    else:
        assert kept == [number if number in PUBLIC else 64500 for number in flat]
    assert all(held for _, held in made)  # no segment of nothing is sent


@given(PATHS)
def test_leading_private_numbers_go_up_to_the_first_public_one(path):
    made = without_leading_private(path)
    flat = [number for _, held in path for number in held]
    kept = [number for _, held in made for number in held]
    assert flat[len(flat) - len(kept) :] == kept
    gone = flat[: len(flat) - len(kept)]
    assert all(is_private(number) for number in gone)
    if not made:
        assert all(is_private(number) for number in flat)
    elif made[0][0] in (SegmentKind.SEQUENCE, SegmentKind.CONFED_SEQUENCE):
        assert not is_private(kept[0])
    else:
        # A set has no first member: it stays whole where one of it is public.
        assert any(not is_private(number) for number in made[0][1])


@pytest.mark.parametrize(
    ("number", "private"),
    [
        (64511, False), (64512, True), (65534, True), (65535, False),
        (4199999999, False), (4200000000, True), (4294967294, True), (4294967295, False),
    ],
)  # fmt: skip
def test_the_bounds_of_private_numbers(number, private):
    assert is_private(number) == private


def test_how_paths_are_read_and_who_sent_them():
    """Braces around sets, brackets around confederation segments (RFC 5065 3)."""
    path: AsPath = (
        (SegmentKind.CONFED_SEQUENCE, (65001, 65002)),
        (SegmentKind.CONFED_SET, (65003,)),
        (SegmentKind.SEQUENCE, (64496, 64497)),
        (SegmentKind.SET, (1, 2)),
    )
    assert as_path_text(path) == "(65001 65002) ({65003}) 64496 64497 {1 2}"
    assert neighbouring_as(path) == 64496
    assert neighbouring_as(path[3:]) is None
    assert neighbouring_as(path[:2]) is None
    assert list(numbers_in(path, confederation=True)) == [65001, 65002, 65003]
    assert list(numbers_in(path, confederation=False)) == [64496, 64497, 1, 2]
    assert sequence() == ()
    assert sequence(1, 2) == ((SegmentKind.SEQUENCE, (1, 2)),)
