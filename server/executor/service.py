"""The executor: takes questions from the web server and jobs from the database, and has them done.

Each runs in a process of its own for as long as it takes. A process that dies takes one question or
one attempt at a job with it, and another takes its place. Questions have processes that no job
takes, so that they are answered whatever jobs there are; among people both are shared out evenly.
"""

from __future__ import annotations

import asyncio
import hashlib
import json
import logging
import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

from django.conf import settings
from django.db import InterfaceError, OperationalError, connection

from server.executor.address import socket_path
from server.executor.fairness import FairQueue, QueueFull
from server.executor.frames import LENGTHS, Frame, packed, sizes
from server.executor.slots import ProcessDied, Slot
from server.executor.store import ByteBounded
from server.networks import jobs
from server.networks.models import Job

__all__ = ["Executor"]

log = logging.getLogger("routrel.executor")

#: Seconds between two looks for jobs, and between two for those that were left alone.
_LOOK_S = 0.2
_SWEEP_S = 5
_DROP_OLD_S = 3600
#: Seconds a process is left to finish after whoever asked has gone.
_GRACE_S = 2
_MOST_WAITING = 96


@dataclass(eq=False)
class _Request:
    """One question that somebody waits for."""

    person: int
    head: dict[str, Any]
    answer: asyncio.Future[Frame] = field(
        default_factory=lambda: asyncio.get_running_loop().create_future()
    )
    slot: Slot | None = None


class Executor:
    """Everything that runs in the executor's own process."""

    def __init__(self) -> None:
        env = {**os.environ, "DJANGO_SETTINGS_MODULE": "server.config.settings"}
        count = settings.EXECUTOR_QUESTIONS
        self.question_slots = [Slot(0, env) for _ in range(count)]
        self.job_slots = [Slot(5, env) for _ in range(settings.EXECUTOR_JOBS)]
        self.free = list(self.question_slots)
        self.queue: FairQueue[_Request] = FairQueue(_MOST_WAITING, max(1, count - 1))
        #: Answers to what was asked before: a revision never changes, nor does what it answers.
        self.known: ByteBounded[Frame] = ByteBounded(settings.ANSWER_MEMORY_BYTES)
        self.attempts: dict[str, Slot] = {}  #: by owner: who works on the job
        self.wake = asyncio.Event()
        # Django's connections belong to threads; all statements of the executor go through one.
        self.database = ThreadPoolExecutor(1, thread_name_prefix="database")
        self._tasks: set[asyncio.Task[None]] = set()

    async def run(self, stop: asyncio.Event) -> None:
        """Serve until told to stop; then give back what is not done."""
        address = socket_path()
        with suppress(FileNotFoundError):
            address.unlink()
        server = await asyncio.start_unix_server(self._serve, str(address))
        address.chmod(0o600)
        loops = [
            asyncio.create_task(loop)
            for loop in (
                self._questions(),
                *(self._jobs(slot) for slot in self.job_slots),
                self._heartbeat(),
                self._every(_SWEEP_S, jobs.give_back_silent),
                self._every(_DROP_OLD_S, jobs.drop_old),
            )
        ]
        stopping = asyncio.create_task(stop.wait())
        done, _ = await asyncio.wait([*loops, stopping], return_when=asyncio.FIRST_COMPLETED)
        server.close()
        for loop in loops:
            loop.cancel()
        await asyncio.gather(*loops, return_exceptions=True)
        await self._stop_all()
        with suppress(FileNotFoundError):
            address.unlink()
        for task in done - {stopping}:
            task.result()  # a loop that ended did so by a fault

    async def _stop_all(self) -> None:
        for slot in (*self.question_slots, *self.job_slots):
            slot.end()
        for owner in list(self.attempts):
            with suppress(OperationalError, InterfaceError):
                await self._in_database(
                    lambda owner=owner: jobs.give_back(owner, why="it was stopped", counts=False)
                )

    # --- questions -------------------------------------------------------------------------------

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """One question of the web server, on a connection of its own."""
        try:
            head, body = sizes(await reader.readexactly(LENGTHS.size))
            frame = await reader.readexactly(head + body)
            request = _Request(*_asked(frame[:head]))
            reply = await self._answer(request, reader)
            if reply is not None:
                writer.write(packed(*reply))
                await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError, ValueError):
            pass
        finally:
            writer.close()

    async def _answer(self, request: _Request, reader: asyncio.StreamReader) -> Frame | None:
        """The answer; None where whoever asked has gone before it was there."""
        if (known := self.known.get(_name(request.head))) is not None:
            return known
        try:
            self.queue.put(request.person, request)
        except QueueFull:
            return {"status": 429, "problem": "too_many_questions"}, b""
        self.wake.set()
        gone = asyncio.create_task(reader.read())  # nothing more is sent: it ends when they go
        try:
            limit = settings.EXECUTOR_QUESTION_S
            either: list[asyncio.Future[Any]] = [gone, request.answer]
            await asyncio.wait(either, timeout=limit, return_when=asyncio.FIRST_COMPLETED)
            if request.answer.done():
                return request.answer.result()
            if not self.queue.drop(request.person, request):
                if gone.done():  # it may be nearly done, and its state of use to the next
                    await asyncio.wait([request.answer], timeout=_GRACE_S)
                if not request.answer.done() and request.slot is not None:
                    request.slot.end()
            return None if gone.done() else ({"status": 503, "problem": "takes_too_long"}, b"")
        finally:
            gone.cancel()

    async def _questions(self) -> None:
        """Give questions to free processes as long as there are both."""
        await asyncio.gather(*(slot.start() for slot in self.question_slots))
        while True:
            await self.wake.wait()
            self.wake.clear()
            while self.free and (turn := self.queue.take()) is not None:
                person, request = turn
                slot = self._slot_for(request)
                request.slot = slot
                task = asyncio.create_task(self._ask(slot, person, request))
                self._tasks.add(task)
                task.add_done_callback(self._tasks.discard)

    def _slot_for(self, request: _Request) -> Slot:
        """A free process, best one that was asked about the same revision last."""
        about = str(request.head["revision"])
        slot = next((slot for slot in self.free if slot.last == about), self.free[0])
        self.free.remove(slot)
        return slot

    async def _ask(self, slot: Slot, person: object, request: _Request) -> None:
        try:
            reply = await slot.ask(request.head)
            slot.last = str(request.head["revision"])
            if reply[0]["status"] == 200:
                self.known.put(_name(request.head), reply, len(reply[1]))
        except ProcessDied as error:
            reply = {"status": 503, "problem": "process_died", "why": str(error)}, b""
        if not request.answer.done():
            request.answer.set_result(reply)
        self.queue.ended(person)
        self.free.append(slot)
        self.wake.set()
        with suppress(ProcessDied):
            await slot.start()  # so that the next need not wait for it

    # --- jobs ------------------------------------------------------------------------------------

    async def _jobs(self, slot: Slot) -> None:
        """Have one process do job after job."""
        while True:
            try:
                job = await self._in_database(jobs.claim)
            except (OperationalError, InterfaceError):
                job = None
            if job is None:
                await asyncio.sleep(_LOOK_S)
                continue
            self.attempts[job.owner] = slot
            try:
                await slot.ask({"job": job.owner})
            except ProcessDied as error:
                log.warning("job %s, attempt %s: %s", job.pk, job.attempts, error)
                await self._give_back(job, str(error))
            self.attempts.pop(job.owner, None)

    async def _give_back(self, job: Job, why: str) -> None:
        """As soon as there is a database that takes it."""
        while True:
            with suppress(OperationalError, InterfaceError):
                await self._in_database(lambda: jobs.give_back(job.owner, why=why))
                return
            await asyncio.sleep(_LOOK_S)

    async def _heartbeat(self) -> None:
        """Tell that attempts live, and end those whose job was cancelled or taken over."""
        while True:
            await asyncio.sleep(jobs.HEARTBEAT_S / 2)
            attempts = dict(self.attempts)
            if not attempts:
                continue
            try:
                held = await self._in_database(lambda owners=list(attempts): jobs.beat(owners))
            except (OperationalError, InterfaceError):
                continue
            for owner in attempts.keys() - held:
                # An attempt that has just ended by itself is no longer among those that go on.
                if self.attempts.get(owner) is attempts[owner]:
                    await asyncio.sleep(0.3)
                    if self.attempts.get(owner) is attempts[owner]:
                        attempts[owner].end()

    async def _every(self, seconds: float, work: Any) -> None:
        while True:
            with suppress(OperationalError, InterfaceError):
                await self._in_database(work)
            await asyncio.sleep(seconds)

    async def _in_database(self, work: Any) -> Any:
        def run() -> Any:
            connection.close_if_unusable_or_obsolete()
            try:
                return work()
            except (OperationalError, InterfaceError):
                connection.close()
                raise

        return await asyncio.get_running_loop().run_in_executor(self.database, run)


def _name(head: dict[str, Any]) -> str:
    """One name for the same question, whoever asks it."""
    asked = [head["revision"], head["question"], head["values"]]
    return hashlib.sha256(json.dumps(asked, sort_keys=True).encode()).hexdigest()


def _asked(data: bytes) -> tuple[int, dict[str, Any]]:
    head = json.loads(data)
    return int(head["person"]), head
