"""Trials of work that has to survive: python -m tools.trials [cancel N] [kill N]

cancel: so many deliveries are cancelled at random moments, some of them while they wait, and ordered again: nothing
may be left, blocked or mixed. kill: the server is killed (-9) in the midst of deliveries and changes, again and
again: after each start the delivery goes on, its files are byte for byte those of one that was never interrupted,
and nothing that was answered is lost. Between kills the shot is now and then removed and brought anew under the same
id.
"""

from __future__ import annotations

import hashlib
import json
import random
import re
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from roofline.formats.package import open_package, write_package
from roofline.model.handoff import Delivery
from roofline.model.shot import Shot
from roofline.stages import handoff, shots
from roofline.stages.opening import open_desk
from roofline.store.clearing import named, version_folder
from roofline.work.desk import Desk
from roofline.work.jobs import Job

FORMS = ("png", "tiff", "exr", "mp4", "webm", "glb", "zip")
FRAMES = 12


def small_package(folder: Path) -> Path:
    """The demo shot with its frames made small and few, so that one takes some milliseconds."""
    from roofline.demo.shot import FOLDER

    package = open_package(FOLDER)
    keys = [k.model_copy(update={"frame": 1 + i * (FRAMES - 1) // 2}) for i, k in enumerate(package.shot.move.keys)]
    width = 96
    scale = package.shot.delivery.width / width
    framing = package.shot.delivery.framing
    if framing is not None:
        framing = framing.model_copy(update={"scale": framing.scale * scale})
    delivery = Delivery(width=width, height=54, fps=24, frames=FRAMES, framing=framing)
    move = package.shot.move.model_copy(update={"keys": keys})
    shot = Shot.model_validate(package.shot.model_copy(update={"delivery": delivery, "move": move}).model_dump())
    write_package(shot, package.read, folder)
    return folder


def digests(folder: Path) -> dict[str, str]:
    """The files of a folder and what is in them; hidden part files too."""
    return {p.name: hashlib.sha256(p.read_bytes()).hexdigest() for p in sorted(folder.iterdir()) if p.is_file()}


# ---------------------------------------------------------------- cancelled at random


def ended(job: Job) -> str:
    assert job.ended.wait(300), f"job {job.order.id} is blocked"
    return job.state


def cancelling(desk: Desk, shot_id: str, count: int, rng: random.Random) -> dict[str, int]:
    """Order and cancel; returns how often each state was the end. Raises AssertionError for whatever is left."""
    states: dict[str, int] = {}
    for _ in range(count):
        form = rng.choice(FORMS)
        jobs = [handoff.deliver(desk, shot_id, form, None, None, False) for _ in range(rng.choice((1, 1, 2)))]
        time.sleep(rng.choice((0.0, rng.random() * 0.05, rng.random() * 0.6)))
        for job in jobs:
            desk.jobs.cancel(job.order.id)
        for job in jobs:
            state = ended(job)
            states[state] = states.get(state, 0) + 1
            folder = desk.store.folder / "deliveries" / shot_id / version_folder(job.order.version or 0)
            known = {d.version for d in desk.store.deliveries(shot_id)}
            if state == "cancelled":
                assert job.order.version not in known, "a cancelled delivery is listed"
                assert not folder.exists(), f"a cancelled delivery left {list(folder.iterdir())}"
            else:
                assert state == "done" and job.order.version in known
                assert not [p for p in folder.iterdir() if ".part" in p.name]
    return states


def cancel_trial(count: int) -> None:
    rng = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        desk = open_desk(Path(folder) / "data")
        shot_id = shots.take_in(desk, small_package(Path(folder) / "package"))
        states = cancelling(desk, shot_id, count, rng)
        again = [handoff.deliver(desk, shot_id, form, None, None, False) for form in FORMS]
        assert [ended(job) for job in again] == ["done"] * len(FORMS), "ordered again, it did not go through"
        versions = [d.version for d in desk.store.deliveries(shot_id)]
        assert len(set(versions)) == len(versions), "two deliveries have one version"
        there = {p.name for p in (desk.store.folder / "deliveries" / shot_id).iterdir()}
        assert there == {version_folder(v) for v in versions}, "files and rows differ"
        desk.close()
    print(json.dumps({"deliveries_cancelled": count, "ended": states, "then_delivered": len(FORMS)}))


# ---------------------------------------------------------------- killed


class Served:
    """A server that can be killed."""

    def __init__(self, data: Path):
        command = [str(Path(sys.executable).with_name("roofline")), "serve", "--data", str(data), "--port", "0"]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        found = re.search(r"http://\S+", self.process.stdout.readline())
        if not found:
            raise RuntimeError(f"the server did not start: {self.process.communicate()[1][-2000:]}")
        self.address = found[0]

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json"} if data is not None else {}
        request = urllib.request.Request(self.address + path, data, headers, method=method)
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read())

    def bring(self, package: Path) -> str:
        boundary = "roofline"
        head = f'--{boundary}\r\nContent-Disposition: form-data; name="file"; filename="a.zip"\r\n\r\n'
        data = head.encode() + package.read_bytes() + f"\r\n--{boundary}--\r\n".encode()
        headers = {"Content-Type": f"multipart/form-data; boundary={boundary}"}
        request = urllib.request.Request(self.address + "/api/packages", data, headers, method="POST")
        with urllib.request.urlopen(request, timeout=60) as answer:
            return str(json.loads(answer.read())["id"])

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


def whole(folder: Path, package: Path) -> dict[str, dict[str, str]]:
    """What deliveries that nothing interrupts give: form → files without their version → digest."""
    desk = open_desk(folder)
    shot_id = shots.take_in(desk, package)
    out = {}
    for form in FORMS:
        job = handoff.deliver(desk, shot_id, form, None, None, False)
        assert ended(job) == "done", job.error
        made = desk.store.folder / "deliveries" / shot_id / version_folder(job.order.version or 0)
        out[form] = unversioned(digests(made))
    desk.close()
    return out


def unversioned(files: dict[str, str]) -> dict[str, str]:
    return {re.sub(r"-v\d{3,}", "", name): digest for name, digest in files.items()}


class Killing:
    """A row of kills over one data folder, and what has to be true after each."""

    def __init__(self, folder: Path, rng: random.Random):
        self.rng, self.data = rng, folder / "data"
        self.package = folder / "small.zip"
        package = open_package(small_package(folder / "package"))
        write_package(package.shot, package.read, self.package)
        self.right = whole(folder / "whole", self.package)
        self.name, self.orders = "", []  # type: str, list[tuple[str, str]]
        self.shot = self.diary = ""  # what is delivered, and another one, which is changed meanwhile
        self.counts = {"kills": 0, "changes_answered": 0, "delivered": 0, "gone_on": 0, "brought_anew": 0}

    def settle(self, server: Served) -> None:
        """After a start: nothing answered is lost, and what was ordered is delivered, byte for byte."""
        if not self.shot:
            self.shot = server.bring(self.package)
            self.diary, self.name = server.ask("POST", "/api/shots", {"name": "Diary"})["id"], "Diary"
        state = server.ask("GET", f"/api/shots/{self.diary}")
        assert state["shot"]["name"] == self.name, (state["shot"]["name"], self.name)
        for job, form in self.orders:
            until = time.monotonic() + 300
            while (told := server.ask("GET", f"/api/jobs/{job}"))["state"] in ("waiting", "running"):
                assert time.monotonic() < until, "a delivery does not go on"
                time.sleep(0.02)
            assert told["state"] == "done", told
            folder = self.data / "deliveries" / self.shot / version_folder(told["result"]["version"])
            made = unversioned(digests(folder))
            assert made == self.right[form], (form, sorted(set(made) ^ set(self.right[form])))
            self.counts["delivered"] += 1
        self.orders = []

    def trouble(self, server: Served) -> None:
        """Order, change, and kill in the midst of it."""
        for _ in range(self.rng.choice((1, 1, 2))):
            form = self.rng.choice(FORMS)
            told = server.ask("POST", f"/api/shots/{self.shot}/deliveries", {"form": form})
            self.orders.append((told["id"], form))
        end = time.monotonic() + self.rng.random() * 1.2
        number = 0
        while time.monotonic() < end:
            number += 1
            name = f"{self.counts['kills']}-{number}"
            before = self.name
            self.name = server.ask("PUT", f"/api/shots/{self.diary}/name", {"name": name})["shot"]["name"]
            self.counts["changes_answered"] += 1
            if number % 3 == 0:
                self.name = server.ask("POST", f"/api/shots/{self.diary}/undo")["shot"]["name"]
                assert self.name == before
                self.counts["changes_answered"] += 1
            time.sleep(self.rng.random() * 0.05)
        running = [server.ask("GET", f"/api/jobs/{job}")["state"] for job, _ in self.orders]
        self.counts["gone_on"] += sum(state != "done" for state in running)
        server.kill()
        self.counts["kills"] += 1

    def anew(self) -> None:
        """The shot removed and brought again under its id, with work under way."""
        desk = open_desk(self.data)
        handoff.deliver(desk, self.shot, "png", None, None, False)
        shots.remove(desk, self.shot)
        assert not (desk.store.folder / "deliveries" / self.shot).exists(), "a removed shot left files"
        shots.take_in(desk, self.package, shot_id=self.shot)
        assert desk.store.deliveries(self.shot) == [] and desk.orders.open() == []
        missing = [n for n in named(desk.store) if not (desk.store.blobs.folder / n[:2] / n).is_file()]
        assert not missing, "files that are named are gone"
        desk.close()
        self.orders = []  # they ended with the shot
        self.counts["brought_anew"] += 1


def kill_trial(count: int) -> None:
    with tempfile.TemporaryDirectory() as folder:
        trial = Killing(Path(folder), random.Random(2))
        for n in range(count):
            server = Served(trial.data)
            trial.settle(server)
            trial.trouble(server)
            if n % 10 == 9:
                server = Served(trial.data)
                trial.settle(server)
                server.kill()
                trial.anew()
        server = Served(trial.data)
        trial.settle(server)
        server.kill()
    print(json.dumps(trial.counts))


def main() -> None:
    words = sys.argv[1:]
    wanted = dict(zip(words[::2], (int(n) for n in words[1::2]), strict=True)) or {"cancel": 200, "kill": 100}
    if "cancel" in wanted:
        cancel_trial(wanted["cancel"])
    if "kill" in wanted:
        kill_trial(wanted["kill"])


if __name__ == "__main__":
    main()
