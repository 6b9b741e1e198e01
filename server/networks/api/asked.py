"""Questions of the API on their way to the executor, and its answers on their way back."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpResponse
from rest_framework.request import Request

from server.executor.client import AskerGone, Unavailable, ask
from server.networks.access import revision_for
from server.networks.api.errors import Fault, request_name
from server.networks.models import Revision

__all__ = ["answer_to", "answered"]

_PROBLEMS = {
    "too_many_questions": "many questions of yours wait already",
    "takes_too_long": "this takes longer than a question may",
    "process_died": "the process that worked on this was ended",
}
_ADVICE = {
    "too_many_questions": "wait for their answers and ask again",
    "takes_too_long": "ask about a smaller part",
    "process_died": "ask again",
}


def answered(request: Request, slug: str, question: str, **values: Any) -> HttpResponse:
    """The answer to a question about the revision that the request's lens names.

    Raises:
        Fault: there is none; the error says why.
    """
    body = _ask(request, revision_for(request, slug), question, values)
    return HttpResponse(body, content_type="application/json")


def answer_to(request: Request, revision: Revision, question: str, values: dict[str, Any]) -> Any:
    """The same as data, for those who keep it."""
    return json.loads(_ask(request, revision, question, values))


def _ask(request: Request, revision: Revision, question: str, values: dict[str, Any]) -> bytes:
    gone = request.META.get("waitress.client_disconnected", lambda: False)
    name = request_name(request._request)
    try:
        head, body = ask(int(request.user.pk), revision.pk, question, values, gone, name)
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
        code = head["problem"]
        raise Fault(head["status"], code, _PROBLEMS[code], _ADVICE[code])
    if head["status"] != 200:
        problem = json.loads(body)
        raise Fault(head["status"], problem["code"], problem["message"], problem["suggestion"])
    return body
