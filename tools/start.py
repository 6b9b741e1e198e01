"""Sets Routrel up and serves it; see `./start --help`."""

from __future__ import annotations

import argparse
import signal
import socket
import sys
import time
from pathlib import Path
from typing import NoReturn

sys.path.insert(0, str(Path(__file__).resolve().parent))

from launch.console import ROOT, LaunchError, require_space, step, tell
from launch.database import Cluster, free_port
from launch.processes import Processes, executor, listener, web_server
from launch.setup import VAR, database, demo_password_file, install, manage, one_at_a_time

PORT = 8640
_DATABASE_PATIENCE_S = 60


def main() -> int:
    parser = argparse.ArgumentParser(
        prog="./start", description="Set Routrel up (once) and serve it on loopback."
    )
    parser.add_argument("--port", type=int, default=PORT, help=f"of the web app, default {PORT}")
    parser.add_argument("--no-demo", action="store_true", help="do not load the demo network")
    parser.add_argument("--dev", action="store_true", help="the web app with live reload")
    options = parser.parse_args()
    # SIGINT too: a shell that starts this in the background has it ignored.
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, _interrupt)
    try:
        _check_port(options.port)
        _serve(options.port, demo=not options.no_demo, dev=options.dev)
    except LaunchError as error:
        tell(error)
        return 1
    except KeyboardInterrupt:
        return 130


def _interrupt(number: int, frame: object) -> None:
    raise KeyboardInterrupt


def _check_port(port: int) -> None:
    if not 1 <= port <= 65535:
        raise LaunchError(f"{port} is not a port", "choose one from 1024 to 65535")
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except PermissionError as error:
            raise LaunchError(f"port {port} needs root", "choose --port 8640, say") from error
        except OSError as error:
            who = listener(port)
            by = f"by process {who[0]}: {who[1][:80]}" if who else "by somebody else's process"
            raise LaunchError(
                f"port {port} is taken {by}",
                f"stop that one, or choose another: ./start --port {free_port(port + 1)}",
            ) from error


def _serve(port: int, *, demo: bool, dev: bool) -> NoReturn:
    print("Routrel: setting up")
    cluster = None
    processes = Processes(logs=VAR / "log")
    try:
        with one_at_a_time():
            require_space(ROOT, 0.3)
            install(lock="app.txt", browser=False)
            cluster, _ = database()
            with step("Migrations"):
                manage("migrate", "--no-input")
            if demo:
                with step("Demo network"):
                    manage("load_demo", "--password-file", str(demo_password_file()))
        with step("Web server and executor"):
            api_port = free_port(port + 1) if dev else port
            processes.start("executor", executor())
            processes.start("web server", web_server(api_port))
            if dev:
                processes.env["ROUTREL_API"] = f"http://127.0.0.1:{api_port}"
                processes.start(
                    "live web app",
                    ["npm", "run", "-s", "dev", "--", "--port", str(port), "--strictPort"],
                    cwd=ROOT / "web",
                )
            processes.wait_until_answers(f"http://127.0.0.1:{port}/")
            processes.wait_until_answers(f"http://127.0.0.1:{api_port}/api/session")
        print(f"\nRoutrel answers at  http://127.0.0.1:{port}/")
        if demo:
            password = demo_password_file().read_text().strip()
            print(f"Demo login          nora  {password}   (also olaf, owner; vita, viewer)")
        print(f"Logs                {VAR / 'log'}")
        print("Ctrl-C stops everything.", flush=True)
        _watch(processes, cluster)
    finally:
        processes.stop()
        if cluster is not None:
            cluster.stop()


def _watch(processes: Processes, cluster: Cluster) -> NoReturn:
    """Start again whatever ends, for as long as that helps.

    Raises:
        LaunchError: something cannot be kept up.
    """
    look = 0.0
    while True:
        processes.revive(_tell)
        if time.monotonic() >= look:
            if not cluster.running():
                _tell("The database ended; it is started again.")
                _revive(cluster)
            look = time.monotonic() + 2
        time.sleep(0.3)


def _revive(cluster: Cluster) -> None:
    """Start the database again; what is left of the old one may need a while to end.

    Raises:
        LaunchError: it could not be started for longer than that.
    """
    until = time.monotonic() + _DATABASE_PATIENCE_S
    while True:
        try:
            return cluster.prepare()
        except LaunchError:
            if time.monotonic() > until:
                raise
        time.sleep(0.5)


def _tell(line: str) -> None:
    print(f"{time.strftime('%H:%M:%S')}  {line}", flush=True)


if __name__ == "__main__":
    sys.exit(main())
