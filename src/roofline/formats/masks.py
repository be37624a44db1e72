"""The paint list as files: a mask for each region, a table of all."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from roofline.core.move.paint_list import Region
from roofline.errors import FormatError
from roofline.formats.package import slug
from roofline.formats.pictures import png

MARGIN_PX = 4  # photo pixels beyond a mask that a fill should reach: frames are judged on a coarser grid
COLUMNS = ("surface", "plate", "mask", "pixels", "first", "last", "largest_percent", "pixels_per_metre")


def mask_png(region: Region) -> bytes:
    """A region's mask, 8-bit grey, as large as its canvas."""
    return png(np.asarray(region.mask, dtype=np.uint8) * 255, 9)


def told(region: Region, mask: str) -> dict[str, Any]:
    """A region as the command line and pages have it."""
    return {
        "surface": region.surface,
        "plate": region.plate,
        "mask": mask,
        "canvas": list(region.canvas),
        "pixels": region.pixels,
        "frames": list(region.frames),
        "largest_percent": region.largest_percent,
        "pixels_per_metre": region.pixels_per_metre,
    }


def write_regions(regions: Sequence[Region], out: Path) -> list[dict[str, Any]]:
    """Write masks and `paint-list.csv` into a folder; never over what is there."""
    if (out / "paint-list.csv").exists():
        raise FormatError(f"{out / 'paint-list.csv'} is there already; nothing was overwritten.")
    out.mkdir(parents=True, exist_ok=True)
    taken: set[str] = set()
    listed = []
    for region in regions:
        name = slug(region.surface.replace("/", " "), taken, ".png")
        if (out / name).exists():
            raise FormatError(f"{out / name} is there already; nothing was overwritten.")
        (out / name).write_bytes(mask_png(region))
        listed.append(told(region, name))
    with (out / "paint-list.csv").open("w", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(COLUMNS)
        for entry in listed:
            first, last = entry["frames"]
            flat = entry | {"first": first, "last": last}
            rows.writerow([flat[c] if flat[c] is not None else "" for c in COLUMNS])
    return listed
