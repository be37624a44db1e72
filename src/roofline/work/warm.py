"""Compiling the engine beside the server: the page comes first, and only what needs the engine waits for it.

Numba keeps what it has compiled on disk. A program of its own compiles all loops into there, so that the server's own
Python is free to answer meanwhile, and loads them afterwards: `python -m roofline.work.warm` says how far it is, a line
a step.
"""

from __future__ import annotations

import contextlib
import ctypes
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

from roofline.core.move.path import moment_at, shot_path
from roofline.core.survey.solve import solve
from roofline.core.throw.check import check_frame
from roofline.formats.package import open_package
from roofline.model.survey import SurveyInput
from roofline.work.engines import Engines
from roofline.work.kept import Kept

STEPS = (
    "the survey's loops",
    "the set's geometry",
    "what the plates see",
    "the measures",
    "a picture",
    "single pixels",
)


def compile_all(package: Path) -> Iterator[str]:
    """Compile every loop of the engine and the survey, or load it from where it is kept, on a shot; a step at a
    time."""
    opened = open_package(package)
    shot = opened.shot
    photo = shot.photos[0]
    yield STEPS[0]
    solve(SurveyInput.model_validate({**photo.survey.model_dump(), "width": photo.width, "height": photo.height}))
    yield STEPS[1]
    engine = Engines(opened.read, Kept()).engine(shot)
    moment = moment_at(shot, shot_path(shot), shot.frame_range[1], 64)
    engine.covered(moment)
    yield STEPS[2]
    _ = engine.sight
    yield STEPS[3]
    check_frame(engine, moment, shot.limits)
    yield STEPS[4]
    engine.picture(moment)
    yield STEPS[5]
    engine.probe(moment, (32.0, 20.0))


class Warming:
    """The compiling, as it goes on: how far it is, and a door that is shut until it is done."""

    def __init__(self) -> None:
        self.step, self.doing = 0, STEPS[0]
        self._done = threading.Event()
        self._done.set()

    @property
    def ready(self) -> bool:
        return self._done.is_set()

    def wait(self) -> None:
        """Wait until the engine is compiled; returns at once when nothing is being compiled."""
        self._done.wait()

    def start(self, package: Path, tell: Callable[[], None]) -> threading.Thread:
        """Compile in a program of its own, then load what it has kept; ``tell`` is called at every step and at the
        end."""
        self._done.clear()
        thread = threading.Thread(target=self._run, args=(package, tell), daemon=True, name="warming")
        thread.start()
        return thread

    def _run(self, package: Path, tell: Callable[[], None]) -> None:
        try:
            command = [sys.executable, "-m", "roofline.work.warm", str(package)]
            with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as program:
                assert program.stdout is not None
                for line in program.stdout:
                    if line.strip() in STEPS:
                        self.step, self.doing = STEPS.index(line.strip()), line.strip()
                        tell()
            for _ in compile_all(package):  # loads what is kept; compiles it here, should it not have been
                pass
        finally:
            self._done.set()
            tell()


def _end_with_parent() -> None:
    """This program ends when the one that started it does, however that ends (prctl(2), PR_SET_PDEATHSIG)."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(1, signal.SIGKILL)


if __name__ == "__main__":
    _end_with_parent()
    for said in compile_all(Path(sys.argv[1])):
        print(said, flush=True)
