"""What a program leaves that is ended at a bad moment: parts are swept at the next start, its children end with it."""

from __future__ import annotations

import os
import subprocess
import sys
import time

import pytest

from roofline.errors import PackageError
from roofline.formats.package import strict_json
from roofline.stages.opening import open_desk


def test_parts_and_packages_half_brought_are_swept_at_the_next_start(tmp_path):
    desk = open_desk(tmp_path)
    kept = desk.store.blobs.keep(b"a picture", ".png")
    desk.close()
    part = tmp_path / "blobs" / kept[:2] / ".part-x"
    part.write_bytes(b"half a pic")
    (tmp_path / ".bring-x").mkdir()
    (tmp_path / ".bring-x" / "package.zip").write_bytes(b"PK")
    desk = open_desk(tmp_path)
    assert not part.exists() and not (tmp_path / ".bring-x").exists()
    assert desk.store.blobs.read(kept) == b"a picture"
    desk.close()


def gone(pid: int) -> bool:
    try:
        with open(f"/proc/{pid}/stat") as stat:
            return stat.read().rpartition(")")[2].split()[0] == "Z"
    except FileNotFoundError:
        return True


def test_the_program_that_compiles_ends_with_the_server_however_that_ends():
    child = (
        "from roofline.work import warm; warm._end_with_parent(); print('set', flush=True); import time; time.sleep(60)"
    )
    parent = (
        "import subprocess, sys\n"
        f"p = subprocess.Popen([sys.executable, '-c', {child!r}], stdout=subprocess.PIPE, text=True)\n"
        "p.stdout.readline(); print(p.pid, flush=True); import time; time.sleep(60)\n"
    )
    program = subprocess.Popen([sys.executable, "-c", parent], stdout=subprocess.PIPE, text=True)
    pid = int(program.stdout.readline())
    assert not gone(pid)
    program.kill()
    program.wait()
    end = time.monotonic() + 20
    while not gone(pid) and time.monotonic() < end:
        os.sched_yield()
    assert gone(pid)


@pytest.mark.parametrize(
    "text", ['{"name": "\\ud800"}', '{"name": "\\udc00a"}', '{"\\udbff": 1}', b'{"name": "\\uD834"}']
)
def test_half_a_character_is_refused_in_words(text):
    with pytest.raises(PackageError, match="incomplete Unicode"):
        strict_json(text, "The request")


def test_a_pair_is_one_character():
    assert strict_json('{"name": "\\ud83d\\ude00 \\\\ud800"}', "The request") == {"name": "\U0001f600 \\ud800"}
