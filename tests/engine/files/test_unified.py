"""A patch in the unified format makes of the files before those after, by a tool that knows neither."""

from __future__ import annotations

import subprocess
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from routrel.files.unified import unified_patch

TEXTS = st.lists(
    st.sampled_from(["a: 1\n", "b: [2]\n", "\n", "# c\r\n", "  d: e\n", "f\x0cg\n"]), max_size=12
).flatmap(lambda lines: st.sampled_from(["".join(lines), "".join(lines).removesuffix("\n")]))


@settings(max_examples=40, deadline=None)
@given(before=TEXTS, after=TEXTS)
def test_git_applies_it(tmp_path_factory, before: str, after: str):
    folder: Path = tmp_path_factory.mktemp("patched")
    (folder / "devices").mkdir()
    file = folder / "devices" / "r 1.yaml"
    file.write_bytes(before.encode())
    patch = unified_patch({"devices/r 1.yaml": before}, {"devices/r 1.yaml": after})
    if before == after:
        assert patch == ""
        return
    done = subprocess.run(
        ["git", "apply", "--unidiff-zero", "-"],
        cwd=folder, input=patch.encode(), capture_output=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert file.read_bytes().decode() == after
