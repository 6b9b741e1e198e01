"""Serves the application on loopback: `python -m server.web.serve PORT`."""

from __future__ import annotations

import logging
import os
import resource
import signal
import sys
from types import FrameType

from waitress.adjustments import Adjustments
from waitress.task import ThreadedTaskDispatcher

__all__ = ["main"]

#: A thread waits with each question that is being answered; slow clients hold none.
_THREADS = 48
_CONNECTIONS = 800


def main() -> int:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    from server.config.wsgi import application  # sets Django up
    from server.web.connections import BoundedServer

    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * _CONNECTIONS + 200
    allowed = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, allowed), hard))
    connections = min(_CONNECTIONS, (max(soft, allowed) - 200) // 2)
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # that some wait is no event
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _stop)
    adjustments = Adjustments(
        host="127.0.0.1",
        port=int(sys.argv[1]),
        threads=_THREADS,
        connection_limit=connections,
        backlog=1024,
        channel_timeout=120,
        cleanup_interval=1,
        asyncore_use_poll=True,
        channel_request_lookahead=1,  # so that a client that goes away is noticed
        max_request_header_size=32 * 1024,
        inbuf_overflow=512 * 1024,
        ident="routrel",
    )
    dispatcher = ThreadedTaskDispatcher()
    dispatcher.set_thread_count(_THREADS)
    server = BoundedServer(
        application, dispatcher=dispatcher, adj=adjustments, sockinfo=adjustments.listen[0]
    )
    server.run()
    return 0


def _stop(number: int, frame: FrameType | None) -> None:
    raise SystemExit


if __name__ == "__main__":
    sys.exit(main())
