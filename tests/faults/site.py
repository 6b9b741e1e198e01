"""A whole Routrel of its own, served by ./start as operators do, to be hurt."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import requests

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "tools"))

from launch.database import Cluster, free_port  # noqa: E402

__all__ = ["ROOT", "LiveSite", "Person", "eventually"]

Value = TypeVar("Value")


def eventually(what: str, condition: Callable[[], Value], seconds: float = 120) -> Value:
    """The first value that is true, or not None."""
    until = time.monotonic() + seconds
    last: object = None
    while time.monotonic() < until:
        try:
            value = condition()
        except (requests.RequestException, OSError, AssertionError) as error:
            last = error
        else:
            if value:
                return value
            last = value
        time.sleep(0.1)
    raise AssertionError(f"{what} did not come within {seconds} s; last: {last!r}")


class Person(requests.Session):
    """Somebody who is logged in, by HTTP as programs are."""

    def __init__(self, url: str, name: str = "", password: str = "") -> None:
        super().__init__()
        self.url = url
        if name:
            self.headers["X-CSRFToken"] = self._token()
            answer = self.post("/api/session", json={"username": name, "password": password})
            assert answer.status_code == 200, answer.text
            self.headers["X-CSRFToken"] = self._token()

    def _token(self) -> str:
        assert self.get("/api/session").status_code == 200
        return self.cookies["csrftoken"]

    def request(self, method: str, url: str, *arguments: Any, **more: Any) -> requests.Response:
        more.setdefault("timeout", 150)
        return super().request(method, self.url + url, *arguments, **more)

    def ended(self, address: str, seconds: float = 240) -> dict[str, Any]:
        """A job once it has ended, however long the service is away meanwhile."""

        def look() -> dict[str, Any] | None:
            answer = self.get(address, timeout=10)
            assert answer.status_code == 200, answer.text
            job: dict[str, Any] = answer.json()
            return job if job["status"] not in ("queued", "running") else None

        return eventually(f"the end of {address}", look, seconds)


class LiveSite:
    """./start with a folder of its own for database, secrets and caches, and few open files.

    Args:
        megabytes: Of the disk that the folder is then, with the system's temporary files.
    """

    def __init__(self, *, megabytes: int | None = None) -> None:
        # Directly in the system's folder, where PostgreSQL's user may look.
        self.var = Path(tempfile.mkdtemp(prefix="routrel-faults-"))
        self.environment = {**os.environ, "ROUTREL_VAR": str(self.var)}
        self.mounted = megabytes is not None
        if self.mounted:
            size = ["-o", f"size={megabytes}m"]
            subprocess.run(["mount", "-t", "tmpfs", *size, "tmpfs", str(self.var)], check=True)
            (self.var / "tmp").mkdir()
            self.environment["TMPDIR"] = str(self.var / "tmp")
        self.var.chmod(0o755)
        self.port = free_port(8800)
        self.url = f"http://127.0.0.1:{self.port}"
        self.log = self.var / "start.log"
        self.start()

    def start(self) -> None:
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                ["sh", "-c", f"ulimit -n 1024; exec ./start --port {self.port}"],
                cwd=ROOT, env=self.environment, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True,
            )  # fmt: skip
        self.wait_until_up()

    def wait_until_up(self, seconds: float = 300) -> None:
        def up() -> bool:
            if self.process.poll() is not None:
                raise RuntimeError(f"./start ended:\n{self.last_lines()}")
            return requests.get(f"{self.url}/api/session", timeout=5).status_code == 200

        eventually("the site", up, seconds)

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait(30)

    def remove(self) -> None:
        """Stop everything and leave nothing behind."""
        if self.process.poll() is None:
            self.stop()
        cluster = Cluster(self.var)
        cluster.stop()
        if cluster.folder.parent != self.var:
            shutil.rmtree(cluster.folder.parent)
        if self.mounted:
            subprocess.run(["umount", str(self.var)], check=True)
        shutil.rmtree(self.var)

    def person(self, name: str = "nora") -> Person:
        return Person(self.url, name, self.password)

    @property
    def password(self) -> str:
        return (self.var / "secrets" / "demo-password").read_text().strip()

    def last_lines(self) -> str:
        """What ./start said last."""
        return self.log.read_text()[-2000:]

    def connect(self) -> socket.socket:
        """A connection that nothing is sent on yet."""
        return socket.create_connection(("127.0.0.1", self.port), timeout=60)

    def pids(self, kind: str) -> list[int]:
        """The processes of a kind, which are this site's own."""
        marks = {
            "web": "server.web.serve",
            "executor": "manage.py execute",
            "child": "server.executor.child",
            "start": "tools/start.py",
        }
        if kind == "database":
            return [int((Cluster(self.var).folder / "postmaster.pid").read_text().split()[0])]
        found = []
        for folder in Path("/proc").iterdir():
            if not folder.name.isdigit():
                continue
            try:
                words = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
                mine = f"ROUTREL_VAR={self.var}".encode() in (folder / "environ").read_bytes()
            except OSError:
                continue
            if mine and marks[kind] in words:
                found.append(int(folder.name))
        return found
