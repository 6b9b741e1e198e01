"""A PostgreSQL cluster of the project's own: on loopback, with a password, never run by root."""

from __future__ import annotations

import hashlib
import json
import os
import secrets
import shutil
import socket
import subprocess
from contextlib import suppress
from pathlib import Path
from typing import Any

from launch.console import LaunchError, run

__all__ = ["Cluster", "free_port", "private_file"]

USER = "routrel"
DATABASE = "routrel"
FIRST_PORT = 54320


def private_file(path: Path, content: str) -> None:
    """Write a file that only its owner may read, whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.parent.chmod(0o700)
    temporary = path.with_suffix(".new")
    with os.fdopen(os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(content)
    temporary.replace(path)


def free_port(first: int) -> int:
    """The first port from there on that nobody listens on, on loopback."""
    for port in range(first, min(first + 500, 65536)):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            with suppress(OSError):
                probe.bind(("127.0.0.1", port))
                return port
    raise LaunchError(f"no free port from {first} on", "stop what listens there")


class Cluster:
    """The cluster that belongs to a folder var/."""

    def __init__(self, var: Path) -> None:
        self.var = var
        self.settings_file = var / "secrets" / "database.json"
        self.programs = self._programs()
        self.as_owner: list[str] = []
        self.folder = var / "postgres"
        if os.geteuid() == 0:
            # PostgreSQL refuses to run as root; Debian's package brings the user postgres.
            self.as_owner = ["runuser", "-u", "postgres", "--"]
            if not self._reachable():
                # The checkout lies where that user may not look (root's home, a private folder).
                name = hashlib.sha256(str(var).encode()).hexdigest()[:12]
                self.folder = Path("/var/lib/routrel") / name / "postgres"

    def prepare(self) -> None:
        """Make the cluster unless it is there, and start it."""
        self._make()
        if self.running():
            return
        settings = self.settings()
        settings["port"] = free_port(settings.get("port", FIRST_PORT))
        self._start(settings)
        private_file(self.settings_file, json.dumps(settings))
        self.create_database(DATABASE)

    def running(self) -> bool:
        done = subprocess.run(
            [*self.as_owner, str(self.programs / "pg_ctl"), "-D", str(self.folder), "status"],
            capture_output=True, cwd="/", check=False,
        )  # fmt: skip
        return done.returncode == 0

    def stop(self) -> None:
        """Stop the server; open sessions are ended."""
        subprocess.run(
            [*self.as_owner, str(self.programs / "pg_ctl"), "-D", str(self.folder), "-m", "fast",
             "-w", "stop"],
            capture_output=True, cwd="/", check=False,
        )  # fmt: skip

    def settings(self) -> dict[str, Any]:
        """Port, user, password and name of the database."""
        settings: dict[str, Any] = json.loads(self.settings_file.read_text())
        return settings

    def create_database(self, name: str, *, anew: bool = False) -> None:
        """Create a database unless it exists; `anew` drops it first."""
        settings = self.settings()
        environment = {**os.environ, "PGPASSWORD": str(settings["password"])}
        where = ["-h", "127.0.0.1", "-p", str(settings["port"]), "-U", str(settings["user"])]
        if anew:
            run([str(self.programs / "dropdb"), *where, "--if-exists", "--force", name],
                "dropping an old database", env=environment)  # fmt: skip
        exists = run(
            [str(self.programs / "psql"), *where, "-d", "postgres", "-tAc",
             f"SELECT 1 FROM pg_database WHERE datname = '{name}'"],  # noqa: S608 - names of ours
            "asking the database", env=environment,
        )  # fmt: skip
        if not exists.strip():
            run([str(self.programs / "createdb"), *where, name], "creating the database",
                env=environment)  # fmt: skip

    def _make(self) -> None:
        if (self.folder / "PG_VERSION").exists() and self.settings_file.exists():
            return
        password = secrets.token_urlsafe(24)
        base = self.folder.parent
        base.mkdir(parents=True, exist_ok=True)
        fresh = base / "postgres.new"
        # A half-made cluster of an interrupted run is of no use to anybody. One without its
        # password cannot be opened; it is kept aside.
        shutil.rmtree(fresh, ignore_errors=True)
        if self.folder.exists():
            aside = free_name(self.folder)
            self.folder.rename(aside)
            print(f"    an old cluster without its password was put aside as {aside}")
        fresh.mkdir(mode=0o700)
        password_file = fresh.with_suffix(".password")
        settings = {"user": USER, "password": password, "name": DATABASE, "port": FIRST_PORT}
        private_file(self.settings_file, json.dumps(settings))
        password_file.touch(mode=0o600)
        password_file.write_text(password)
        if self.as_owner:
            shutil.chown(fresh, "postgres", "postgres")
            shutil.chown(password_file, "postgres", "postgres")
        try:
            run(
                [*self.as_owner, str(self.programs / "initdb"), "-D", str(fresh), "-U", USER,
                 "-A", "scram-sha-256", f"--pwfile={password_file}", "-E", "UTF8",
                 "--locale=C.UTF-8"],
                "making the database cluster", cwd=Path("/"),
            )  # fmt: skip
        finally:
            password_file.unlink()
        fresh.rename(self.folder)

    def _start(self, settings: dict[str, Any]) -> None:
        options = (
            f"-c listen_addresses=127.0.0.1 -c port={settings['port']} "
            "-c unix_socket_directories='' -c max_connections=300"
        )
        run(
            [*self.as_owner, str(self.programs / "pg_ctl"), "-D", str(self.folder), "-w",
             "-t", "60", "-l", str(self.folder / "server.log"), "-o", options, "start"],
            "starting the database",
            advice=f"read {self.folder / 'server.log'}", cwd=Path("/"),
        )  # fmt: skip

    def _reachable(self) -> bool:
        self.var.mkdir(parents=True, exist_ok=True)
        done = subprocess.run(
            [*self.as_owner, "test", "-x", str(self.var)], capture_output=True, cwd="/", check=False
        )
        return done.returncode == 0

    def _programs(self) -> Path:
        found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
        if not found:
            raise LaunchError(
                "PostgreSQL's server programs are missing", "apt-get install postgresql"
            )
        return found[-1].parent


def free_name(path: Path) -> Path:
    """A sibling path with a number behind it that nobody uses."""
    number = 1
    while (candidate := path.with_name(f"{path.name}.old-{number}")).exists():
        number += 1
    return candidate
