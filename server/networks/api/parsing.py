"""What is sent, as the server may rely on it: shallow, of texts that can be kept, in its shape."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rest_framework import serializers
from rest_framework.exceptions import ParseError
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


def checked(shape: type[serializers.Serializer], values: Any) -> dict[str, Any]:
    """A request's parameters or body, once they have their shape.

    Raises:
        ValidationError: they have not.
    """
    made = shape(data=values)
    made.is_valid(raise_exception=True)
    return dict(made.validated_data)
