"""Serves the application on loopback: `python -m server.web.serve PORT`.

Some processes share one listening socket. Each takes connections without a thread for each, and
gives a thread to what was received whole.
"""

from __future__ import annotations

import errno
import logging
import os
import resource
import signal
import socket
import sys
import time
from types import FrameType
from typing import NoReturn

from waitress.adjustments import Adjustments
from waitress.task import ThreadedTaskDispatcher

from server.config.parent import end_with_parent

__all__ = ["main"]

_MOST_PROCESSES = 4
_CONNECTIONS = 800
_PORT_PATIENCE_S = 20


def main() -> int:
    """Keep the serving processes up until told to stop."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    listening = _listen(int(sys.argv[1]))
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, _stop)
    count = max(2, min(_MOST_PROCESSES, os.cpu_count() or 1))
    children = {_start(listening) for _ in range(count)}
    try:
        while True:
            pid, _ = os.wait()
            children.discard(pid)
            time.sleep(0.2)  # so that what cannot start does not keep the machine busy
            children.add(_start(listening))
    except SystemExit:
        for pid in children:
            os.kill(pid, signal.SIGTERM)
    return 0


def _listen(port: int) -> socket.socket:
    """The socket that all share; processes of one that was killed may need a while to let it go."""
    until = time.monotonic() + _PORT_PATIENCE_S
    while True:
        listening = socket.socket()
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listening.bind(("127.0.0.1", port))
            listening.listen(1024)
        except OSError as error:
            listening.close()
            if error.errno != errno.EADDRINUSE or time.monotonic() > until:
                raise
            time.sleep(0.1)
        else:
            return listening


def _start(listening: socket.socket) -> int:
    """A new serving process; its number."""
    parent = os.getpid()
    pid = os.fork()
    if pid:
        return pid
    end_with_parent(signal.SIGTERM, parent)
    try:
        _serve(listening)
    except SystemExit:
        os._exit(0)
    except BaseException:
        logging.getLogger("routrel.web").exception("the web server could not begin")
    os._exit(1)


def _serve(listening: socket.socket) -> NoReturn:
    from server.config.wsgi import application  # sets Django up
    from server.web.connections import BoundedServer
    from server.web.seats import THREADS

    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * _CONNECTIONS + 200
    allowed = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, allowed), hard))
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # that some wait is no event
    adjustments = Adjustments(
        sockets=[listening],
        threads=THREADS,
        connection_limit=min(_CONNECTIONS, (max(soft, allowed) - 200) // 2),
        channel_timeout=120,
        cleanup_interval=1,
        asyncore_use_poll=True,
        channel_request_lookahead=1,  # so that a client that goes away is noticed
        max_request_header_size=32 * 1024,
        inbuf_overflow=512 * 1024,
        ident="routrel",
    )
    dispatcher = ThreadedTaskDispatcher()
    dispatcher.set_thread_count(THREADS)
    place = (listening.family, listening.type, listening.proto, listening.getsockname())
    server = BoundedServer(
        application, _sock=listening, dispatcher=dispatcher, adj=adjustments, sockinfo=place,
        bind_socket=False,
    )  # fmt: skip
    server.run()
    raise SystemExit


def _stop(number: int, frame: FrameType | None) -> None:
    raise SystemExit


if __name__ == "__main__":
    sys.exit(main())
