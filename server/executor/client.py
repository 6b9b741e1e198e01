"""The web server's side of the executor: ask a question, wait, and stop waiting with the client."""

from __future__ import annotations

import select
import socket
import time
from collections.abc import Callable
from typing import Any

from django.conf import settings

from server.executor.address import socket_path
from server.executor.frames import Frame, packed, read_frame

__all__ = ["AskerGone", "Unavailable", "ask"]

#: Seconds between two looks whether the client is still there.
_LOOK_S = 0.25
#: The executor itself ends what takes too long; this is for one that says nothing at all.
_EXTRA_S = 15


class Unavailable(Exception):
    """No executor answers; the message says what is known."""


class AskerGone(Exception):
    """The client has gone; nobody needs the answer."""


def ask(
    person: int, revision: int, question: str, values: dict[str, Any], gone: Callable[[], bool],
    request: str = "",
) -> Frame:  # fmt: skip
    """Have a question answered: a head with `status`, and the answer as JSON text.

    Args:
        person: Who asks; computing is shared out among people.
        revision: Its number in the database.
        gone: Whether the client has gone.
        request: By which the log names it.

    Raises:
        Unavailable: there is no executor, or it ended.
        AskerGone: the client went first.
    """
    head = {
        "person": person, "revision": revision, "question": question, "values": values,
        "request": request,
    }  # fmt: skip
    until = time.monotonic() + settings.EXECUTOR_QUESTION_S + _EXTRA_S
    with socket.socket(socket.AF_UNIX) as talk:
        try:
            talk.connect(str(socket_path()))
            talk.sendall(packed(head))
            while not select.select([talk], [], [], _LOOK_S)[0]:
                if gone():
                    raise AskerGone
                if time.monotonic() > until:
                    raise Unavailable("it has given no answer for too long")
            talk.settimeout(30)
            frame = read_frame(talk.makefile("rb").read)
        except OSError as error:
            raise Unavailable(error.strerror or str(error)) from error
    if frame is None:
        raise Unavailable("it ended before it answered")
    return frame
