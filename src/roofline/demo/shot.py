"""The demo shot, Varrow Halt: a shot package that ships with Roof Line."""

from __future__ import annotations

from pathlib import Path

DEMO_ID = "varrow-halt"
FOLDER = Path(__file__).with_name("shot")
