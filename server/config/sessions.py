"""Sessions in the database, of which each key shows that this installation gave it.

So whether somebody is logged in can be guessed well enough, without the database, before a body is
taken: nobody else can make such a key up. Whether the session still holds the database decides.
"""

from __future__ import annotations

import hmac

from django.conf import settings
from django.contrib.sessions.backends import db
from django.utils.crypto import get_random_string

__all__ = ["SessionStore", "given_here"]

_RANDOM = 24
_TAG = 16  # of at most 40 characters in all
_LETTERS = "abcdefghijklmnopqrstuvwxyz0123456789"


class SessionStore(db.SessionStore):
    """Django's, with keys of our own."""

    def _get_new_session_key(self) -> str:
        while True:
            drawn = get_random_string(_RANDOM, _LETTERS)
            key = drawn + _tag(drawn)
            if not self.exists(key):
                return key


def given_here(key: str) -> bool:
    """Whether this installation made the key."""
    drawn, tag = key[:_RANDOM], key[_RANDOM:]
    return len(key) == _RANDOM + _TAG and hmac.compare_digest(tag.encode(), _tag(drawn).encode())


def _tag(drawn: str) -> str:
    secret = b"session keys " + settings.SECRET_KEY.encode()
    return hmac.digest(secret, drawn.encode(), "sha256").hex()[:_TAG]
