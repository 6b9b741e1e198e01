"""`routrel push`: a folder becomes the next revision of a network on a server, and is checked."""

from __future__ import annotations

import io
import json
import os
import time
import urllib.error
import urllib.request
import uuid
import zipfile
from pathlib import Path
from typing import Annotated, Any
from urllib.parse import urlsplit

import typer
from rich.markup import escape

from routrel.cli.common import ERRORS_FOUND, AsJson, Folder, err, out, print_json, refuse
from routrel.files.reader import UnusableInput, is_network_file

__all__ = ["push"]

#: Seconds of one request, and between two looks at a job.
_PATIENCE_S = 60
_EVERY_S = 1.0
#: The variable that holds the token, so that it stands in no list of processes.
_VARIABLE = "ROUTREL_TOKEN"


def push(
    url: Annotated[
        str,
        typer.Argument(help="the network on its server, as https://routrel.example/n/quays"),
    ],
    folder: Folder,
    wait: Annotated[int, typer.Option(min=1, help="seconds to wait for the answer")] = 1800,
    failing: Annotated[
        bool, typer.Option("--failures", help="try the failures that promises must survive too")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Import a folder into a network, and check its promises there.

    The token stands in the variable ROUTREL_TOKEN; it must be for imports. Exit code 0: imported,
    and all promises are kept; 1: one is broken; 2: nothing was imported, or nothing could be
    checked.
    """
    token = os.environ.get(_VARIABLE, "")
    if not token:
        refuse(f"{_VARIABLE} holds no token", "make one for imports, and let the job set it")
    server = _Server(url, token, time.monotonic() + wait)
    job = server.send("imports", *_form(_packed(folder)))
    ended = server.ended(f"imports/{job['id']}")
    if ended["status"] != "done":
        for problem in (ended["answer"] or {}).get("problems", ()):
            err.print(f"{problem['file']}:{problem['line']}: {escape(problem['text'])}")
        refuse(ended["message"], "correct the files and push them again")
    revision = ended["revision"]
    err.print(f"revision {revision}")
    asked = json.dumps({"failures": failing}).encode()
    check = server.send(f"promises/checks?revision={revision}", asked, "application/json")
    found = server.ended(f"promise-checks/{check['id']}")
    if found["answer"] is None:
        refuse(found["message"])
    answer = {"revision": revision, **found["answer"]}
    if as_json:
        print_json(answer)
    else:
        out.print(f"[bold]{escape(answer['summary'])}[/]")
        for one in answer["promises"]:
            if not one["kept"]:
                out.print(f"[red]✗[/] [bold]{escape(one['id'])}[/] {escape(one['text'])}")
                out.print(f"    {escape(one['why'])}")
    if answer["broken"]:
        raise typer.Exit(ERRORS_FOUND)


def _packed(folder: Path) -> bytes:
    """A network's files as a zip archive."""
    paths = sorted(path for path in folder.rglob("*") if is_network_file(path.name))
    if not folder.is_dir() or not paths:
        refuse(str(UnusableInput(f"{folder} holds no device files (*.yaml)")))
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in paths:
            archive.write(path, path.relative_to(folder).as_posix())
    return packed.getvalue()


def _form(content: bytes) -> tuple[bytes, str]:
    """One file as a form's body (RFC 7578), and what the body is."""
    edge = uuid.uuid4().hex
    head = (
        f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="network.zip"\r\n'
        "Content-Type: application/zip\r\n\r\n"
    )
    body = head.encode() + content + f"\r\n--{edge}--\r\n".encode()
    return body, f"multipart/form-data; boundary={edge}"


class _Server:
    """A network on a server, reached with a token until it is too late."""

    def __init__(self, url: str, token: str, until: float) -> None:
        parts = urlsplit(url)
        path = parts.path.strip("/").split("/")
        if parts.scheme not in ("http", "https") or path[:1] != ["n"] or len(path) < 2:
            refuse(f"“{url}” is no network on a server", "write https://HOST/n/NETWORK")
        self._api = f"{parts.scheme}://{parts.netloc}/api"
        self._network, self._token, self._until = path[1], token, until

    def send(self, path: str, body: bytes, kind: str) -> Any:
        """Post something to the network."""
        return self._asked(f"{self._api}/networks/{self._network}/{path}", body, kind)

    def ended(self, path: str) -> Any:
        """A job, once it has ended."""
        while True:
            job = self._asked(f"{self._api}/{path}")
            if job["status"] not in ("queued", "running"):
                return job
            if time.monotonic() > self._until:
                refuse("the server took too long", "wait longer with --wait")
            time.sleep(_EVERY_S)

    def _asked(self, address: str, body: bytes | None = None, kind: str = "") -> Any:
        headers = {"Authorization": f"Bearer {self._token}"}
        if kind:
            headers["Content-Type"] = kind
        request = urllib.request.Request(address, body, headers)  # noqa: S310 - http or https
        try:
            with urllib.request.urlopen(request, timeout=_PATIENCE_S) as answer:  # noqa: S310
                return json.load(answer)
        except urllib.error.HTTPError as error:
            refuse(*_told(error))
        except (urllib.error.URLError, TimeoutError, ValueError) as error:
            refuse(
                f"{address} does not answer: {error}", "is the address right, and the server up?"
            )


def _told(error: urllib.error.HTTPError) -> tuple[str, str]:
    """What the server says is wrong, and what to do."""
    try:
        problem = json.load(error)
        return str(problem["message"]), str(problem.get("suggestion", ""))
    except (ValueError, KeyError):
        return f"the server answered {error.code} {error.reason}", ""
