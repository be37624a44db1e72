"""A file that a disk has changed is told of, not drawn; brought again, it is mended."""

from __future__ import annotations

import random
import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import write_folder
from tests.formats.by_hand import document

from roofline.core.move.path import moment_at, shot_path
from roofline.errors import Damaged
from roofline.formats.package import write_package
from roofline.stages.opening import open_desk
from roofline.stages.shots import take_in


def flipped(path: Path, seed: int, count: int = 1) -> None:
    """Change bits of a file, whatever they stand for."""
    data, rng = bytearray(path.read_bytes()), random.Random(seed)
    for _ in range(count):
        data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
    path.write_bytes(data)


@pytest.fixture
def folder(tmp_path):
    return write_folder(tmp_path / "pack", document(), (240, 160))


def opened(tmp_path, folder):
    desk = open_desk(tmp_path / "data")
    shot = desk.store.load(take_in(desk, folder))
    name = shot.photos[0].file
    return desk, shot, name, desk.store.blobs.path(name)


@pytest.mark.parametrize("seed", range(20))
def test_every_flipped_bit_is_noticed_and_mended_by_bringing_the_file_again(tmp_path, folder, seed):
    desk, shot, name, path = opened(tmp_path, folder)
    whole = path.read_bytes()
    flipped(path, seed)
    whose = "“A” of By hand, “P” of By hand is damaged.*Bring in the same picture"
    with pytest.raises(Damaged, match=whose):
        desk.store.blobs.read(name)
    assert desk.store.blobs.keep(whole, Path(name).suffix) == name
    assert desk.store.blobs.read(name) == path.read_bytes() == whole
    desk.close()


@pytest.mark.parametrize("how", ["empty", "short", "long"])
def test_files_that_lost_or_won_bytes_are_noticed(tmp_path, folder, how):
    desk, _, name, path = opened(tmp_path, folder)
    whole = path.read_bytes()
    path.write_bytes({"empty": b"", "short": whole[:-1], "long": whole + b"\0"}[how])
    with pytest.raises(Damaged):
        desk.store.blobs.read(name)
    assert desk.store.blobs.keep(whole, Path(name).suffix) == name and path.read_bytes() == whole
    desk.close()


def test_nothing_is_drawn_or_packed_of_a_damaged_file(tmp_path, folder):
    desk, shot, _, path = opened(tmp_path, folder)
    flipped(path, 1, 40)
    with pytest.raises(Damaged):
        desk.engine(shot).picture(moment_at(shot, shot_path(shot), shot.frame_range[0], 64))
    with pytest.raises(Damaged):
        write_package(shot, desk.store.blobs.read, tmp_path / "out.zip")
    desk.close()


def test_the_command_tells_which_files_are_damaged(tmp_path, folder):
    desk, shot, _, path = opened(tmp_path, folder)
    desk.close()
    command = [str(Path(sys.executable).with_name("roofline")), "verify-data", "--data", str(tmp_path / "data")]
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 0 and done.stdout == "all files are sound\n"
    flipped(path, 3)
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 1 and done.stdout.count("\n") == 2
    assert shot.name in done.stdout and done.stdout.endswith("damaged files: 1\n")
