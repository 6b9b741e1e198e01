"""Guessing passwords is slow: who fails waits, longer each time, and nobody else waits for it.

Failures count for an account at an address, and for an address over all accounts. A browser that
has logged in to an account before holds a signed cookie that says so; it is counted by that cookie
alone. So whoever guesses, even from the same address, locks nobody out of an account they use. The
counters are rows in the database, each change one transaction, so that attempts at the same moment
count one by one, in however many processes.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta

from django.core import signing
from django.db import transaction
from django.db.models import F
from django.utils import timezone

from server.networks.models import LoginFailure

__all__ = ["COOKIE", "COOKIE_S", "Attempt", "MustWait", "begin", "known_browser"]

COOKIE = "routrel_known"
COOKIE_S = 180 * 24 * 3600
_SALT = "routrel.known-browser"
#: Failures that cost nothing, of an account at an address and of an address alone.
_FREE_ACCOUNT, _FREE_ADDRESS = 5, 40
#: The first wait, doubled with each further failure, and the longest two.
_FIRST_S = 2
_LONGEST_ACCOUNT_S, _LONGEST_ADDRESS_S = 900, 30
#: After so long without a failure all is forgotten.
_FORGOTTEN = timedelta(hours=2)


class MustWait(Exception):
    """Too many failures lately."""

    def __init__(self, seconds: float) -> None:
        super().__init__("too many attempts to log in have failed")
        self.seconds = seconds


@dataclass(frozen=True)
class Attempt:
    """One attempt to log in, counted as a failure until it succeeds."""

    subjects: tuple[str, ...]

    def succeeded(self) -> None:
        """It was no failure after all; what was held against the account here is forgotten."""
        account, *others = self.subjects
        LoginFailure.objects.filter(subject=account).delete()
        LoginFailure.objects.filter(subject__in=others, failures__gt=0).update(
            failures=F("failures") - 1
        )


def begin(account: str, address: str, cookie: str) -> Attempt:
    """Count an attempt before it is made.

    Args:
        cookie: Of a browser that logged in before; empty or wrong for others.

    Raises:
        MustWait: it is too early for another.
    """
    browser = _browser(cookie, account)
    limits = (
        {_name("browser", browser): (_FREE_ACCOUNT, _LONGEST_ACCOUNT_S)}
        if browser
        else {
            _name("account", account, address): (_FREE_ACCOUNT, _LONGEST_ACCOUNT_S),
            _name("address", address): (_FREE_ADDRESS, _LONGEST_ADDRESS_S),
        }
    )
    now = timezone.now()
    with transaction.atomic():
        LoginFailure.objects.filter(last__lt=now - _FORGOTTEN).delete()
        LoginFailure.objects.bulk_create(
            [LoginFailure(subject=subject, last=now) for subject in sorted(limits)],
            ignore_conflicts=True,
        )
        rows = LoginFailure.objects.select_for_update().filter(subject__in=limits)
        held = list(rows.order_by("subject"))
        wait = max(
            (row.last - now).total_seconds() + _delay(row.failures, *limits[row.subject])
            for row in held
        )
        if wait > 0 and any(row.failures for row in held):
            raise MustWait(wait)
        rows.update(failures=F("failures") + 1, last=now)
    return Attempt(tuple(limits))


def known_browser(account: str) -> str:
    """A cookie for a browser that has just logged in."""
    return signing.dumps([account, secrets.token_hex(8)], salt=_SALT)


def _browser(cookie: str, account: str) -> str:
    try:
        whose, browser = signing.loads(cookie, salt=_SALT, max_age=COOKIE_S)
    except (signing.BadSignature, ValueError, TypeError):
        return ""
    return browser if whose == account else ""


def _delay(failures: int, free: int, longest: int) -> float:
    over = failures - free
    return 0 if over < 0 else min(longest, _FIRST_S * 2 ** min(over, 20))


def _name(*parts: str) -> str:
    """A counter's name; accounts and addresses stay private."""
    return hashlib.sha256("\0".join(parts).encode("utf-8", "replace")).hexdigest()
