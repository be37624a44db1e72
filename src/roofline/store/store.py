"""Shots in SQLite: every change is one transaction that can be undone, also after a restart.

Undo follows the trigger technique of SQLite's own documentation ("Automatic Undo/Redo With SQLite"): triggers write
the statement that reverses each row's change into `undo_log`.
"""

from __future__ import annotations

import json
import os
import re
import secrets
import shutil
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from roofline.errors import Conflict, NotFound, RoofLineError
from roofline.shot import Shot
from roofline.store.blobs import Blobs

UNDOABLE = ("plan", "photo", "tie", "solid", "plate", "throw", "key")
KEEP_STEPS = 500
MIGRATIONS = Path(__file__).with_name("migrations")


def default_data() -> Path:
    """The data folder when none is given: $ROOFLINE_DATA, or ~/.local/share/roof-line."""
    given = os.environ.get("ROOFLINE_DATA")
    return Path(given) if given else Path.home() / ".local" / "share" / "roof-line"


@dataclass
class Listed:
    id: str
    name: str
    made: str
    revision: int


@dataclass
class History:
    """What undo and redo would do next; None when there is nothing."""

    undo: str | None
    redo: str | None


@dataclass
class Delivered:
    id: int
    version: int
    form: str
    file: str
    frames: int
    made: str
    revision: int


def rows_of(shot: Shot) -> dict[str, dict[str, tuple[int, str]]]:
    """A shot as rows: table → id → (place, JSON body)."""

    def body(value: Any) -> str:
        return json.dumps(value, allow_nan=False, separators=(",", ":"))

    out: dict[str, dict[str, tuple[int, str]]] = {
        "plan": {
            "name": (0, body(shot.name)),
            "delivery": (1, body(shot.delivery.model_dump(mode="json"))),
            "limits": (2, body(shot.limits.model_dump(mode="json"))),
        }
    }
    lists = (("photo", shot.photos), ("tie", shot.ties), ("solid", shot.solids), ("plate", shot.plates))
    for table, items in lists:
        out[table] = {item.id: (i, body(item.model_dump(mode="json"))) for i, item in enumerate(items)}
    out["throw"] = {f"{i:04d}": (i, body(t.model_dump(mode="json"))) for i, t in enumerate(shot.throws)}
    out["key"] = {str(k.frame): (k.frame, body(k.model_dump(mode="json"))) for k in shot.move.keys}
    return out


class Store:
    """A data folder: `roofline.db`, `blobs/`, `deliveries/`. Safe to use from several threads."""

    def __init__(self, folder: Path):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.blobs = Blobs(folder / "blobs")
        self.path = folder / "roofline.db"
        self._local = threading.local()
        self._migrate()

    # ------------------------------------------------------------ connection

    @property
    def db(self) -> sqlite3.Connection:
        db = getattr(self._local, "db", None)
        if db is None:
            db = sqlite3.connect(self.path, isolation_level=None, timeout=20)
            db.execute("PRAGMA journal_mode = WAL")
            db.execute("PRAGMA foreign_keys = ON")
            db.execute("PRAGMA synchronous = NORMAL")
            self._local.db = db
        return db

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        db = self.db
        db.execute("BEGIN IMMEDIATE")
        try:
            yield db
        except BaseException:
            db.execute("ROLLBACK")
            raise
        db.execute("COMMIT")

    def _migrate(self) -> None:
        files = sorted(MIGRATIONS.glob("[0-9]*.sql"))
        at = self.db.execute("PRAGMA user_version").fetchone()[0]
        if at > len(files):
            raise RoofLineError(f"The data folder {self.folder} was written by a newer version of Roof Line.")
        if at == len(files):
            return
        if at > 0:
            self.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            shutil.copy2(self.path, self.path.with_suffix(f".before-{at + 1:03d}.db"))
        for number, file in enumerate(files[at:], at + 1):
            script = file.read_text()
            # a migration's own tables get their triggers with it
            made = re.findall(r"CREATE TABLE (\w+)", script)
            script += "".join(_triggers(table) for table in UNDOABLE if table in made)
            self.db.executescript(f"BEGIN;\n{script}\nPRAGMA user_version = {number};\nCOMMIT;")

    # ------------------------------------------------------------ shots

    def shots(self) -> list[Listed]:
        return [
            Listed(*row) for row in self.db.execute("SELECT id, name, made, revision FROM shot ORDER BY made DESC, id")
        ]

    def create(self, shot: Shot, shot_id: str | None = None) -> str:
        """Add a shot; its files must be in the blobs. Returns its id."""
        ident = shot_id or secrets.token_hex(4)
        with self.transaction() as db:
            if db.execute("SELECT 1 FROM shot WHERE id = ?", (ident,)).fetchone():
                raise Conflict(f"There is a shot '{ident}' already.")
            db.execute("INSERT INTO shot (id, name) VALUES (?, ?)", (ident, shot.name))
            self._write(db, ident, {t: {} for t in UNDOABLE}, rows_of(shot))
        return ident

    def delete(self, shot_id: str) -> None:
        with self.transaction() as db:
            self._known(db, shot_id)
            db.execute("DELETE FROM shot WHERE id = ?", (shot_id,))

    def revision(self, shot_id: str) -> int:
        return self._known(self.db, shot_id)

    def _known(self, db: sqlite3.Connection, shot_id: str) -> int:
        row = db.execute("SELECT revision FROM shot WHERE id = ?", (shot_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no shot '{shot_id}'.")
        return int(row[0])

    def _rows(self, db: sqlite3.Connection, shot_id: str) -> dict[str, dict[str, tuple[int, str]]]:
        return {
            t: {i: (p, b) for i, p, b in db.execute(f"SELECT id, place, body FROM {t} WHERE shot = ?", (shot_id,))}
            for t in UNDOABLE
        }

    def _read(self, db: sqlite3.Connection, shot_id: str) -> tuple[Shot, int, dict[str, dict[str, tuple[int, str]]]]:
        revision = self._known(db, shot_id)
        rows = self._rows(db, shot_id)

        def ordered(table: str) -> list[Any]:
            return [json.loads(b) for _, b in sorted(rows[table].values())]

        plan = {i: json.loads(b) for i, (_, b) in rows["plan"].items()}
        shot = Shot.model_validate(
            {
                "name": plan["name"],
                "delivery": plan["delivery"],
                "limits": plan["limits"],
                "photos": ordered("photo"),
                "ties": ordered("tie"),
                "solids": ordered("solid"),
                "plates": ordered("plate"),
                "throws": ordered("throw"),
                "move": {"keys": ordered("key")},
            }
        )
        return shot, revision, rows

    def load(self, shot_id: str) -> Shot:
        return self.load_with_revision(shot_id)[0]

    def load_with_revision(self, shot_id: str) -> tuple[Shot, int]:
        db = self.db
        db.execute("BEGIN")
        try:
            shot, revision, _ = self._read(db, shot_id)
        finally:
            db.execute("COMMIT")
        return shot, revision

    def change(self, shot_id: str, label: str, alter: Callable[[Shot], Shot]) -> Shot:
        """The one way to change a shot: read, alter, validate and write the rows that differ, as one undoable step.

        When `alter` raises, or what it returns is not a valid shot, nothing has changed.
        """
        with self.transaction() as db:
            before, _, old = self._read(db, shot_id)
            after = Shot.model_validate(alter(before.model_copy(deep=True)).model_dump())
            new = rows_of(after)
            if new == old:
                return after
            db.execute("DELETE FROM step WHERE shot = ? AND undone = 1", (shot_id,))
            step = db.execute("INSERT INTO step (shot, label) VALUES (?, ?)", (shot_id, label)).lastrowid
            db.execute("UPDATE recording SET step = ?", (step,))
            self._write(db, shot_id, old, new)
            db.execute("UPDATE recording SET step = 0")
            db.execute("UPDATE shot SET revision = revision + 1, name = ? WHERE id = ?", (after.name, shot_id))
            db.execute(
                "DELETE FROM step WHERE shot = ? AND id <= (SELECT id FROM step WHERE shot = ? "
                "ORDER BY id DESC LIMIT 1 OFFSET ?)",
                (shot_id, shot_id, KEEP_STEPS),
            )
            return after

    def _write(self, db: sqlite3.Connection, shot_id: str, old: dict, new: dict) -> None:
        for table in UNDOABLE:
            for ident in old[table].keys() - new[table].keys():
                db.execute(f"DELETE FROM {table} WHERE shot = ? AND id = ?", (shot_id, ident))
            for ident, (place, body) in new[table].items():
                if ident not in old[table]:
                    db.execute(
                        f"INSERT INTO {table} (shot, id, place, body) VALUES (?, ?, ?, ?)",
                        (shot_id, ident, place, body),
                    )
                elif old[table][ident] != (place, body):
                    db.execute(
                        f"UPDATE {table} SET place = ?, body = ? WHERE shot = ? AND id = ?",
                        (place, body, shot_id, ident),
                    )

    # ------------------------------------------------------------ undo

    def history(self, shot_id: str) -> History:
        undo = self.db.execute(
            "SELECT label FROM step WHERE shot = ? AND undone = 0 ORDER BY id DESC LIMIT 1", (shot_id,)
        ).fetchone()
        redo = self.db.execute(
            "SELECT label FROM step WHERE shot = ? AND undone = 1 ORDER BY id LIMIT 1", (shot_id,)
        ).fetchone()
        return History(undo[0] if undo else None, redo[0] if redo else None)

    def undo(self, shot_id: str) -> str:
        """Take the last step back; returns its label. Raises Conflict when there is none."""
        return self._turn(
            shot_id,
            "SELECT id, label FROM step WHERE shot = ? AND undone = 0 ORDER BY id DESC LIMIT 1",
            1,
            "There is nothing to undo.",
        )

    def redo(self, shot_id: str) -> str:
        """Make the last step that was undone again; returns its label. Raises Conflict when there is none."""
        return self._turn(
            shot_id,
            "SELECT id, label FROM step WHERE shot = ? AND undone = 1 ORDER BY id LIMIT 1",
            0,
            "There is nothing to redo.",
        )

    def _turn(self, shot_id: str, query: str, undone: int, nothing: str) -> str:
        with self.transaction() as db:
            self._known(db, shot_id)
            found = db.execute(query, (shot_id,)).fetchone()
            if found is None:
                raise Conflict(nothing)
            step, label = found
            statements = [
                r[0] for r in db.execute("SELECT statement FROM undo_log WHERE step = ? ORDER BY id DESC", (step,))
            ]
            db.execute("DELETE FROM undo_log WHERE step = ?", (step,))
            db.execute("UPDATE recording SET step = ?", (step,))
            for statement in statements:
                db.execute(statement)
            db.execute("UPDATE recording SET step = 0")
            db.execute("UPDATE step SET undone = ? WHERE id = ?", (undone, step))
            name = db.execute("SELECT body FROM plan WHERE shot = ? AND id = 'name'", (shot_id,)).fetchone()
            db.execute("UPDATE shot SET revision = revision + 1, name = ? WHERE id = ?", (json.loads(name[0]), shot_id))
            return str(label)

    # ------------------------------------------------------------ deliveries

    def deliveries(self, shot_id: str) -> list[Delivered]:
        return [
            Delivered(*row)
            for row in self.db.execute(
                "SELECT id, version, form, file, frames, made, revision FROM delivery WHERE shot = ? ORDER BY id DESC",
                (shot_id,),
            )
        ]

    def next_version(self, shot_id: str) -> int:
        return int(
            self.db.execute("SELECT coalesce(max(version), 0) + 1 FROM delivery WHERE shot = ?", (shot_id,)).fetchone()[
                0
            ]
        )

    def delivered(self, shot_id: str, version: int, form: str, file: str, frames: int, revision: int) -> None:
        with self.transaction() as db:
            db.execute(
                "INSERT INTO delivery (shot, version, form, file, frames, revision) VALUES (?, ?, ?, ?, ?, ?)",
                (shot_id, version, form, file, frames, revision),
            )


def _triggers(table: str) -> str:
    """Triggers that log the reverse of each change of a table's rows while a step is being recorded."""
    log = "INSERT INTO undo_log (step, statement) SELECT step,"
    on = "FROM recording WHERE step > 0"
    when = "WHEN (SELECT step FROM recording) > 0"
    where = "' WHERE shot = ' || quote({0}.shot) || ' AND id = ' || quote({0}.id)"
    return f"""
CREATE TRIGGER {table}_in AFTER INSERT ON {table} {when} BEGIN
  {log} 'DELETE FROM {table}' || {where.format("new")} {on};
END;
CREATE TRIGGER {table}_up AFTER UPDATE ON {table} {when} BEGIN
  {log} 'UPDATE {table} SET place = ' || quote(old.place) || ', body = ' || quote(old.body) || {where.format("new")} {on};
END;
CREATE TRIGGER {table}_out AFTER DELETE ON {table} {when} BEGIN
  {log} 'INSERT INTO {table} (shot, id, place, body) VALUES (' || quote(old.shot) || ', ' || quote(old.id) || ', '
    || quote(old.place) || ', ' || quote(old.body) || ')' {on};
END;
"""
