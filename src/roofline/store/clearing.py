"""Files that nothing refers to any more: found, given a month's grace, and cleared away."""

from __future__ import annotations

import re
import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from roofline.store.store import Store

FILE = re.compile(r"[0-9a-f]{64}\.[a-z0-9]{2,5}")
GRACE_DAYS = 30.0
DAY = 86_400.0
BODIES = (
    "SELECT body FROM photo",
    "SELECT body FROM plate",
    "SELECT body FROM plate_step",
    "SELECT body FROM solid",
    "SELECT statement FROM undo_log",
    "SELECT snapshot FROM job WHERE snapshot IS NOT NULL",
)


@dataclass
class Cleared:
    """What was found: files removed and their bytes, and files that are still within their grace."""

    files: int
    bytes: int
    waiting: int


def named(store: Store) -> set[str]:
    """The files that shots name, as they are, by undo and redo, or as ordered."""
    db = store.db
    return {name for query in BODIES for (text,) in db.execute(query) for name in FILE.findall(text)}


def clear(store: Store, days: float = GRACE_DAYS) -> Cleared:
    """Remove files that have been unused for some days. What is named again in the meantime begins anew."""
    used, now = named(store), time.time()
    there = {p.name: p for p in store.blobs.folder.glob("??/*") if FILE.fullmatch(p.name)}
    with store.transaction() as db:
        known = {name for (name,) in db.execute("SELECT file FROM unused")}
        db.executemany("DELETE FROM unused WHERE file = ?", [(n,) for n in known if n in used or n not in there])
        fresh = [(n,) for n in there if n not in used and n not in known]
        db.executemany("INSERT INTO unused (file) VALUES (?)", fresh)
        old = [
            name
            for (name,) in db.execute("SELECT file FROM unused WHERE julianday('now') - julianday(since) >= ?", (days,))
            # one that has been brought again lately may be about to be named
            if now - there[name].stat().st_mtime >= days * DAY
        ]
        waiting = db.execute("SELECT count(*) FROM unused").fetchone()[0] - len(old)
    size = sum(there[name].stat().st_size for name in old)
    for name in old:
        there[name].unlink(missing_ok=True)
    with store.transaction() as db:
        db.executemany("DELETE FROM unused WHERE file = ?", [(n,) for n in old])
    return Cleared(len(old), size, waiting)


BRINGING = ".bring-"  # folders in which a package lies while it is brought in


def sweep_parts(store: Store) -> None:
    """Remove what a program left that was ended while it wrote. Only before work begins: the folder is held by then,
    and nobody else writes."""
    for part in store.blobs.folder.glob("??/.part-*"):
        part.unlink(missing_ok=True)
    for folder in store.folder.glob(f"{BRINGING}*"):
        _remove(folder)


def sweep_deliveries(store: Store) -> None:
    """Remove delivered files that no row knows: of shots that are gone, and of versions that came to nothing.

    Only before work begins: the files of a delivery under way are known by its order.
    """
    folder = store.folder / "deliveries"
    for shot in folder.iterdir() if folder.is_dir() else ():
        query = "SELECT version FROM delivery WHERE shot = ?1 UNION SELECT version FROM job WHERE shot = ?1"
        versions = {version_folder(v) for (v,) in store.db.execute(query, (shot.name,)) if v is not None}
        for version in shot.iterdir():
            if version.name not in versions:
                _remove(version)
        if not any(shot.iterdir()):
            shot.rmdir()


def version_folder(version: int) -> str:
    """Name of a version's folder."""
    return f"v{version:03d}"


def _remove(path: Path) -> None:
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)
