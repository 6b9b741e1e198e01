"""What is sent, as the server may rely on it: shallow, of texts that can be kept, in its shape."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import QueryDict
from rest_framework import serializers
from rest_framework.exceptions import ParseError, ValidationError
from rest_framework.parsers import JSONParser

__all__ = ["BoundedJSONParser", "checked"]

_DEEPEST = 32


class BoundedJSONParser(JSONParser):
    """Refuses what the database or a reader would choke on."""

    def parse(
        self, stream: Any, media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> Any:  # fmt: skip
        """The body's value.

        Raises:
            ParseError: it is no JSON, nests too deep, or holds a character that cannot be kept.
        """
        try:
            value = super().parse(stream, media_type, parser_context)
        except RecursionError as error:
            raise _too_deep() from error
        _check(value)
        return value


def _check(value: Any) -> None:
    level = [value]
    for _ in range(_DEEPEST):
        below: list[Any] = []
        for item in level:
            if isinstance(item, str):
                _check_text(item)
            elif isinstance(item, dict):
                below += item.keys()
                below += item.values()
            elif isinstance(item, list):
                below += item
        if not below:
            return
        level = below
    raise _too_deep()


def _check_text(text: str) -> None:
    if "\x00" in text:
        raise ParseError("a text holds the character U+0000, which cannot be kept")
    if not text.isascii() and any("\ud800" <= character <= "\udfff" for character in text):
        raise ParseError("a text holds half of a surrogate pair, which cannot be kept")


def _too_deep() -> ParseError:
    return ParseError(f"the values nest more than {_DEEPEST} deep")


def checked(
    shape: type[serializers.Serializer], values: Any, *, alone: bool = False
) -> dict[str, Any]:
    """A request's parameters or body, once they have their shape.

    Of JSON the kinds have to be right too: a number is no text, and neither is a truth.

    Args:
        alone: Whether these are all there are, so that any other one is refused.
    Raises:
        ValidationError: they have not.
    """
    made = shape(data=values)
    if alone:
        for name in set(values) - set(made.fields):
            raise ValidationError({name: "is not asked for here"})
    if not isinstance(values, QueryDict):
        _refuse_other_kinds(made, values)
    made.is_valid(raise_exception=True)
    return dict(made.validated_data)


#: Of JSON, what each kind of field takes, and what to say else.
_KINDS: tuple[tuple[type[serializers.Field], tuple[type, ...], str], ...] = (
    (serializers.CharField, (str,), "must be text"),
    (serializers.IntegerField, (int,), "must be a whole number"),
    (serializers.FloatField, (int, float), "must be a number"),
)


def _refuse_other_kinds(field: serializers.Field, value: Any) -> None:
    """Refuse what the framework would turn into the kind that is wanted.

    Raises:
        ValidationError: named by field, as the framework's are.
    """
    if value is None:
        return
    for kind, taken, words in _KINDS:
        if isinstance(field, kind) and (type(value) is bool or not isinstance(value, taken)):
            raise ValidationError(words, "kind")
    inner: list[tuple[str, serializers.Field, Any]] = []
    if isinstance(field, serializers.Serializer) and isinstance(value, dict):
        inner = [(n, one, value.get(n)) for n, one in field.fields.items() if not one.read_only]
    elif isinstance(field, serializers.ListSerializer | serializers.ListField):
        child = field.child
        if child is not None and isinstance(value, list):
            inner = [("", child, one) for one in value]
    elif isinstance(field, serializers.DictField) and isinstance(value, dict):
        inner = [(str(name), field.child, one) for name, one in value.items()]
    for name, one, held in inner:
        try:
            _refuse_other_kinds(one, held)
        except ValidationError as error:
            detail: Any = error.detail
            raise ValidationError({name: detail} if name else detail) from error
