"""A shot package written by hand, and the command line that reads it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from click.testing import CliRunner, Result
from tests.conftest import looking

from roofline.cli import main

ROOFLINE = str(Path(sys.executable).with_name("roofline"))
VIEW = looking(240, 160, 200, 0, 0, (0, 1.5, 0))


def document(**more) -> dict:
    """A package by hand, as exchange.md has it: a wall 10 m ahead, and its photo."""
    camera = {
        "width": 240,
        "height": 160,
        "focal_px": 200,
        "principal_point": [120, 80],
        "distortion": [0, 0, 0, 0, 0],
        "rotation": VIEW.rotation.tolist(),
        "position": [0, 1.5, 0],
    }
    return {
        "format": "roof-line-shot",
        "version": 1,
        "name": "By hand",
        "delivery": {"width": 120, "height": 80, "fps": 12, "frames": 6},
        "photos": [{"id": "a", "name": "A", "file": "a.png", "camera": camera}],
        "solids": [
            {
                "id": "w",
                "name": "Wall",
                "kind": "mesh",
                "vertices": [[-30, -20, -10], [30, -20, -10], [30, 20, -10], [-30, 20, -10]],
                "faces": [{"name": "front", "loop": [0, 1, 2, 3]}],
            }
        ],
        "plates": [{"id": "p", "name": "P", "photo": "a", "file": "a.png", "matte": None, "canvas": [0, 0, 240, 160]}],
        "throws": [{"plate": "p", "targets": ["w/front"], "occlusion": True, "grade": {}}],
        "move": {
            "keys": [
                {"frame": 1, "position": [0, 1.5, 0], "rotation": [0, 1, 0, 0], "focal_px": 100},
                {"frame": 6, "position": [0, 1.5, -2], "rotation": [0, 1, 0, 0], "focal_px": 100},
            ],
            "sway": None,
        },
        "limits": {"stretch": 2.0, "magnification": 1.5, "gap_percent": 0.05, "strain_percent": 1.0},
    } | more


def roofline(*args, code=0) -> Result:
    """Run a command in this process: starting Python anew takes longer than most of what is tried."""
    done = CliRunner().invoke(main, list(map(str, args)), prog_name="roofline")
    assert done.exit_code == code, (done.exit_code, done.stderr, done.stdout, done.exc_info)
    return done


def in_a_process(*args) -> subprocess.CompletedProcess[str]:
    return subprocess.run([ROOFLINE, *map(str, args)], capture_output=True, text=True, timeout=240)
