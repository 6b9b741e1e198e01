"""Connections that take no thread before their request is complete, and no longer than they may."""

from __future__ import annotations

import time
from typing import Any

from waitress.channel import HTTPChannel
from waitress.server import TcpWSGIServer

from server.web.limits import BoundedRequest

__all__ = ["BoundedChannel", "BoundedServer"]

#: Seconds for the headers; for a body a start, and the bytes a second it must come at on average.
_HEADERS_S = 10
_BODY_S = 20
_BODY_BYTES_PER_S = 8 * 1024
#: Seconds an answer may stand still before nobody reads it.
_UNREAD_S = 60
#: When more connections are open than this, those that send nothing useful are let go.
_CROWDED = 0.75


class BoundedChannel(HTTPChannel):
    """A connection with deadlines for what it sends and reads."""

    parser_class = BoundedRequest

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        self._began = time.time()  #: the present request, or the wait for the next
        self._headers_done = 0.0
        self._served = False  #: whether it ever sent a complete request

    def received(self, data: bytes) -> bool:
        if self.request is None:
            self._began, self._headers_done = time.time(), 0.0
        taken: bool = super().received(data)
        if self.request is not None and self.request.headers_finished and not self._headers_done:
            self._headers_done = time.time()
        self._served = self._served or bool(self.requests)
        return taken

    def handle_close(self) -> None:
        if self.request is not None:
            self.request.settle()
        super().handle_close()

    def overdue(self, now: float) -> bool:
        """Whether this connection has had its time."""
        if self.total_outbufs_len and now - self.last_activity > _UNREAD_S:
            return True
        request = self.request
        if self.requests:
            return False
        if request is None:
            # A fresh connection has to say something soon; one that was served may wait longer.
            limit = self.adj.channel_timeout if self._served else _HEADERS_S
            return bool(now - self.last_activity > limit)
        if not self._headers_done:
            return now - self._began > _HEADERS_S
        earned = request.body_bytes_received / _BODY_BYTES_PER_S
        return bool(now - self._headers_done > _BODY_S + earned)

    def idle_since(self) -> float | None:
        """When it last did anything, where nothing of the application waits on it."""
        return None if self.requests or self.total_outbufs_len else self._began


class BoundedServer(TcpWSGIServer):
    """Looks after its connections every second."""

    channel_class = BoundedChannel

    def maintenance(self, now: float) -> None:
        """Close what is overdue, and in a crowd those that have waited longest for nothing."""
        channels = list(self.active_channels.values())
        for channel in channels:
            if channel.overdue(now):
                channel.will_close = True
        room = int(self.adj.connection_limit * _CROWDED)
        open_ones = [channel for channel in channels if not channel.will_close]
        if len(open_ones) > room:
            idle = sorted(
                (since, number)
                for number, channel in enumerate(open_ones)
                if (since := channel.idle_since()) is not None
            )
            for _, number in idle[: len(open_ones) - room]:
                open_ones[number].will_close = True
