"""The API does what its description says, held against it by thousands of generated requests."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from tests.faults.site import LiveSite

EXAMPLES = os.environ.get("ROUTREL_EXAMPLES", "8")
DEVICE = (
    "routrel: 1\ndevice: r{0}\nrole: router\ninterfaces:\n  e1: {{addresses: [10.9.0.{0}/24]}}\n"
)
#: What would end the session, or the network that all the others ask about.
LEFT_OUT = ("networks_delete", "revisions_delete", "session_login", "session_logout")
#: Whether a name or an address is one of this network no schema can tell: 400 is right then.
UNCHECKED = "positive_data_acceptance"


def test_generated_requests_find_nothing_that_is_not_described(
    site: LiveSite, tmp_path: Path
) -> None:
    """No 5xx, only described statuses and shapes, no wrong value taken, no method but the described."""
    person = site.person("olaf")
    slug = person.post("/api/networks", json={"title": "Described"}).json()["slug"]
    files = [
        part
        for number in (1, 2)
        for part in (
            ("files", (f"r{number}.yaml", DEVICE.format(number).encode())),
            ("paths", (None, f"devices/r{number}.yaml".encode())),
        )
    ]
    started = person.post(f"/api/networks/{slug}/imports", files=files).json()
    assert person.ended(f"/api/imports/{started['id']}")["status"] == "done"
    settings = tmp_path / "schemathesis.toml"
    settings.write_text(
        f'hooks = "{Path(__file__).with_name("described_hooks.py")}"\n'
        f'[parameters]\n"path.slug" = "{slug}"\n'
        f'[auth.openapi.cookieAuth]\napi_key = "{person.cookies["sessionid"]}"\n'
    )
    environment = {**os.environ, "ROUTREL_FORGERY_TOKEN": person.cookies["csrftoken"]}
    done = subprocess.run(
        [
            str(Path(sys.executable).parent / "schemathesis"), "--config-file", str(settings),
            "run", f"{site.url}/api/schema", "-u", site.url, "--seed", "7",
            "--phases", "examples,coverage,fuzzing", "--max-examples", EXAMPLES,
            "--continue-on-failure", "-c", "all", "--exclude-checks", UNCHECKED,
            "--request-timeout", "60",
            *(word for name in LEFT_OUT for word in ("--exclude-operation-id", name)),
        ],
        cwd=tmp_path, env=environment, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, (
        done.stdout[done.stdout.find("FAILURES") :][:20_000] + done.stderr[-2000:]
    )
    assert "Authentication failed" not in done.stdout
