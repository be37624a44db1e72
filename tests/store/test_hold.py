"""A data folder has one program at a time, and who comes second is told where the first one answers."""

from __future__ import annotations

import json
import os
import re
import signal
import socket
import subprocess
import sys
import urllib.error
import urllib.request
from pathlib import Path

import pytest
from tests.stages.conftest import png

from roofline.errors import FolderHeld
from roofline.stages.opening import open_desk
from roofline.store.hold import NAME, Hold, holder

ROOFLINE = str(Path(sys.executable).with_name("roofline"))


def started(data: Path, *more: str, port: int = 0) -> tuple[subprocess.Popen, str]:
    """A server over a folder and the address that it prints."""
    command = [ROOFLINE, "serve", "--data", str(data), "--port", str(port), *more]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    return process, process.stdout.readline().strip()


def second(data: Path, *command: str) -> subprocess.CompletedProcess:
    return subprocess.run([ROOFLINE, *command, "--data", str(data)], capture_output=True, text=True, timeout=60)


def test_a_desk_has_its_folder_for_itself_until_it_is_closed(tmp_path):
    desk = open_desk(tmp_path / "data")
    assert desk.hold is not None
    desk.hold.say("http://127.0.0.1:5800")
    with pytest.raises(
        FolderHeld, match=r"already runs on .*data, at http://127.0.0.1:5800\. Stop it first"
    ) as refused:
        open_desk(tmp_path / "data")
    assert refused.value.address == "http://127.0.0.1:5800"
    desk.close()
    assert holder(tmp_path / "data") is None
    open_desk(tmp_path / "data").close()


def test_whoever_has_not_said_its_address_is_named_by_its_number(tmp_path):
    hold = Hold(tmp_path)
    with pytest.raises(FolderHeld, match=f"as process {os.getpid()}"):
        Hold(tmp_path)
    (tmp_path / NAME).write_text("{")  # half written
    with pytest.raises(FolderHeld, match="in another program") as refused:
        Hold(tmp_path)
    assert refused.value.address is None
    hold.release()
    hold.release()  # once more does no harm
    assert holder(tmp_path) is None


def test_a_desk_that_cannot_be_opened_lets_its_folder_go(tmp_path):
    data = tmp_path / "data"
    data.mkdir()
    (data / "roofline.db").write_bytes(b"this is no database " * 100)
    with pytest.raises(Exception, match="database"):
        open_desk(data)
    assert holder(data) is None


def test_nothing_of_a_running_server_is_touched_by_a_second_start(tmp_path):
    """On its port, on another one, and by the command that clears: what is being written stays where it is."""
    data = tmp_path / "data"
    first, address = started(data)
    try:
        port = int(address.rsplit(":", 1)[1])
        part = data / "deliveries" / ".part-x"
        part.mkdir(parents=True)
        (part / "0001.png").write_bytes(png())
        for command in (("serve", "--port", str(port)), ("serve", "--port", "0"), ("clear",)):
            refused = second(data, *command)
            assert refused.returncode != 0 and address in refused.stderr, command
            assert "Traceback" not in refused.stderr
        for port_of in (str(port), "0"):
            shown = second(data, "demo", "--port", port_of)
            assert shown.returncode == 0 and shown.stdout.strip() == f"Already running: {address}"
        assert (part / "0001.png").read_bytes() == png()
        said = json.loads((data / NAME).read_text())
        assert said == {"pid": first.pid, "address": address}
    finally:
        first.kill()  # without a chance to clear up
        first.wait()
    again, other = started(data)
    assert re.match(r"http://127.0.0.1:\d+$", other) and holder(data).address == other
    again.send_signal(signal.SIGINT)
    again.wait(30)
    assert holder(data) is None


def test_a_token_comes_from_a_file_that_others_cannot_read_off_the_command(tmp_path):
    secret = tmp_path / "token"
    secret.write_text("correct horse\n")
    data = tmp_path / "data"
    server, address = started(data, "--token-file", str(secret))
    try:
        assert "correct" not in Path(f"/proc/{server.pid}/cmdline").read_text()
        assert address.endswith("/?token=correct horse")
        base = address.split("/?")[0]
        with pytest.raises(urllib.error.HTTPError, match="403"):
            urllib.request.urlopen(f"{base}/api/shots")
        given = urllib.request.Request(f"{base}/api/shots", headers={"Authorization": "Bearer correct horse"})
        assert urllib.request.urlopen(given).status == 200
        assert data.stat().st_mode & 0o077 == 0
        assert json.loads((data / NAME).read_text())["address"] == base  # where, but not the token
    finally:
        server.kill()
        server.wait()
    secret.write_text("\n")
    refused = second(tmp_path / "other", "serve", "--token-file", str(secret))
    assert refused.returncode != 0 and "holds no token" in refused.stderr


def test_a_port_that_is_taken_is_said_before_the_folder_is_made(tmp_path):
    with socket.create_server(("127.0.0.1", 0)) as taken:
        refused = second(tmp_path / "data", "serve", "--port", str(taken.getsockname()[1]))
    assert refused.returncode != 0 and "cannot be used" in refused.stderr
    assert not (tmp_path / "data").exists()
