"""Places of a configuration as answers: what stands there, and what may."""

from __future__ import annotations

from routrel.answers.base import Answer
from routrel.lens.place_forms import FieldSeen, PlaceKind, PlaceSeen

__all__ = ["PlaceData", "place_data"]


class PlaceFieldData(Answer):
    """A key that may stand at a place. `value` is YAML on one line; null: it does not stand there.

    `options` are those of a switch and of a choice; `default` is what it means that nothing stands
    there, where that is a value.
    """

    key: str
    help: str
    expects: str
    kind: PlaceKind
    required: bool
    options: list[str]
    default: str
    value: str | None
    fields: list[PlaceFieldData]  #: of a key with keys of its own


class PlaceEntryData(Answer):
    """A name, or an item of a list; `name` is the step by which a place goes on to it."""

    name: str
    value: str


class PlaceData(Answer):
    """A place. `fields` are the keys that stand there, of names and items those of one of them."""

    file: str
    at: list[str]
    what: str
    kind: PlaceKind
    value: str | None
    fields: list[PlaceFieldData]
    entries: list[PlaceEntryData]


def place_data(seen: PlaceSeen) -> PlaceData:
    """A place with all that stands there and may stand there."""
    return PlaceData(
        file=seen.file,
        at=list(seen.at),
        what=seen.what,
        kind=seen.kind,
        value=seen.value,
        fields=[_field_data(field) for field in seen.fields],
        entries=[PlaceEntryData(name=entry.name, value=entry.value) for entry in seen.entries],
    )


def _field_data(field: FieldSeen) -> PlaceFieldData:
    return PlaceFieldData(
        key=field.key,
        help=field.help,
        expects=field.expects,
        kind=field.kind,
        required=field.required,
        options=list(field.options),
        default=field.default,
        value=field.value,
        fields=[_field_data(below) for below in field.fields],
    )
