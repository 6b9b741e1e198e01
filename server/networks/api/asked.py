"""Questions of the API on their way to the executor, and its answers on their way back."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.http import HttpResponse
from rest_framework.request import Request

from server.config.requests import CURRENT
from server.executor.client import AskerGone, Unavailable, ask
from server.networks.access import user_id
from server.networks.api.errors import Fault
from server.networks.api.lens import AskedLens, lens_in
from server.web.seats import WAITING_OF_ONE, WAITING_THREADS, AllTaken, Seats, TooManyOfOne

__all__ = ["answer_to", "answered"]

#: Of the threads of one web process; the others are for what takes no computing.
_SEATS = Seats(all_together=WAITING_THREADS, of_one=WAITING_OF_ONE)

_PROBLEMS = {
    "too_many_questions": "many questions of yours wait already",
    "takes_too_long": "this takes longer than a question may",
    "busy": "as many questions are being answered as can be at a time",
    "process_died": "the process that worked on this was ended",
}
_ADVICE = {
    "too_many_questions": "wait for their answers and ask again",
    "takes_too_long": "ask about a smaller part",
    "busy": "ask again in a few seconds",
    "process_died": "ask again",
}


def answered(
    request: Request,
    slug: str,
    question: str,
    lens_with: Mapping[str, Any] | None = None,
    **values: Any,
) -> HttpResponse:
    """The answer to a question through the request's lens, which the answer names in its head.

    Args:
        lens_with: What the question adds to the lens.
    Raises:
        Fault: there is none; the error says why.
    """
    lens = lens_in(request, slug)
    if lens_with:
        lens = replace(lens, written={**lens.written, **lens_with})
    body = _ask(request, lens, question, values)
    return HttpResponse(body, content_type="application/json", headers={"Routrel-Lens": str(lens)})


def answer_to(request: Request, lens: AskedLens, question: str, values: dict[str, Any]) -> Any:
    """The same as data, for those who keep it."""
    return json.loads(_ask(request, lens, question, values))


def _ask(request: Request, lens: AskedLens, question: str, values: dict[str, Any]) -> bytes:
    gone = request.META.get("waitress.client_disconnected", lambda: False)
    person = user_id(request)
    given = {**values, "lens": lens.written} if lens.written else values
    try:
        with _SEATS.seat(person):
            head, body = ask(person, lens.revision.pk, question, given, gone, CURRENT.get())
    except TooManyOfOne as error:
        raise _problem(429, "too_many_questions") from error
    except AllTaken as error:
        raise _problem(503, "busy") from error
    except AskerGone as error:
        raise Fault(499, "asker_gone", "nobody waits for the answer any more") from error
    except Unavailable as error:
        raise Fault(
            503,
            "unavailable",
            f"the service that computes does not answer: {error}",
            "try again in a few seconds; it is started again by itself",
        ) from error
    if "problem" in head:
        raise _problem(head["status"], head["problem"])
    if head["status"] != 200:
        problem = json.loads(body)
        raise Fault(head["status"], problem["code"], problem["message"], problem["suggestion"])
    return body


def _problem(status: int, code: str) -> Fault:
    return Fault(status, code, _PROBLEMS[code], _ADVICE[code])
