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

from roofline.errors import Busy, Conflict, NotFound, RoofLineError, Unshowable
from roofline.model.shot import Shot
from roofline.store.blobs import Blobs
from roofline.store.rows import TABLES, Rows, in_order, plates_of, rows_of
from roofline.store.soundness import whose
from roofline.store.there import There

KEEP_STEPS = 500
PATIENCE = 10.0  # seconds that a busy database is waited for
TRIES = 20  # times that a change is worked out anew because another one came first
TABLE_OF = re.compile(r"(?:INSERT INTO|UPDATE|DELETE FROM) (\w+)")
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
    says: str  # whether its frames held, as a sentence; empty for what has no frames


@dataclass(frozen=True)
class MadeFrom:
    """A whole list, or a whole shot, that was made from a revision: it must not go over what has been changed in it
    since then."""

    table: str | None  # none: the whole shot
    revision: int | None  # none: nobody says, and nothing is compared
    what: str = "the shot"  # in words; lists in the plural


class Store:
    """A data folder: `roofline.db`, `blobs/`, `deliveries/`. Safe to use from several threads."""

    def __init__(self, folder: Path, patience: float = PATIENCE):
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.blobs = Blobs(folder / "blobs")
        self.blobs.whose = lambda name: whose(self, name)
        self.path = folder / "roofline.db"
        self.patience = patience
        self._local = threading.local()
        self._turns: dict[str, threading.Lock] = {}
        #: what of a shot cannot be shown, by name: a change that adds to it is not kept; set by who knows
        self.faults: Callable[[Shot], dict[str, str]] = lambda shot: {}
        self.path.touch(0o600)
        self.there = There(self.path)
        self.blobs.check = self.there.check
        self._migrate()

    # ------------------------------------------------------------ connection

    @property
    def db(self) -> sqlite3.Connection:
        db = getattr(self._local, "db", None)
        if db is None:
            self.there.check()  # a folder that has gone away is not begun anew
            db = sqlite3.connect(self.path, isolation_level=None, timeout=self.patience)
            db.execute("PRAGMA journal_mode = WAL")
            db.execute("PRAGMA foreign_keys = ON")
            db.execute("PRAGMA synchronous = NORMAL")
            self._local.db = db
        return db

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        """A transaction that writes. Nothing slow happens within it; raises Busy when the database stays locked, and
        FolderGone when it is not in its folder any more: nothing has changed then."""
        db = self.db
        try:
            db.execute("BEGIN IMMEDIATE")
            yield db
            self.there.check()
            db.execute("COMMIT")
        except BaseException as error:
            if db.in_transaction:
                db.execute("ROLLBACK")
            if isinstance(error, sqlite3.OperationalError) and "locked" in str(error):
                message = "The data folder is being written to by another program; try again in a moment."
                raise Busy(message) from None
            raise

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
            script += "".join(_triggers(table) for table in TABLES if table in made)
            self.db.executescript(f"BEGIN;\n{script}\nPRAGMA user_version = {number};\nCOMMIT;")

    # ------------------------------------------------------------ shots

    def shots(self) -> list[Listed]:
        return [
            Listed(*row) for row in self.db.execute("SELECT id, name, made, revision FROM shot ORDER BY made DESC, id")
        ]

    def first_photos(self) -> dict[str, str]:
        """Each shot's first photo, where it has one."""
        rows = self.db.execute("SELECT shot, id FROM photo ORDER BY shot, place DESC")
        return dict(rows)

    def create(self, shot: Shot, shot_id: str | None = None) -> str:
        """Add a shot; its files must be in the blobs. Returns its id."""
        shot = Shot.model_validate(shot.model_dump())
        self._showable({}, shot)
        ident, rows = shot_id or secrets.token_hex(4), rows_of(shot)
        with self.transaction() as db:
            if db.execute("SELECT 1 FROM shot WHERE id = ?", (ident,)).fetchone():
                raise Conflict(f"There is a shot '{ident}' already.")
            db.execute("INSERT INTO shot (id, name) VALUES (?, ?)", (ident, shot.name))
            self._write(db, ident, {t: {} for t in TABLES}, rows)
        return ident

    def delete(self, shot_id: str) -> None:
        """Remove a shot and the rows of its work; its files are the caller's to remove."""
        with self.transaction() as db:
            self.known(db, shot_id)
            db.execute("DELETE FROM shot WHERE id = ?", (shot_id,))

    def revision(self, shot_id: str) -> int:
        return self.known(self.db, shot_id)

    def born(self, shot_id: str) -> str:
        """When a shot was made: tells it from another one that had its id before."""
        row = self.db.execute("SELECT made FROM shot WHERE id = ?", (shot_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no shot '{shot_id}'.")
        return str(row[0])

    def known(self, db: sqlite3.Connection, shot_id: str) -> int:
        """A shot's revision; raises NotFound."""
        row = db.execute("SELECT revision FROM shot WHERE id = ?", (shot_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no shot '{shot_id}'.")
        return int(row[0])

    def read(self, db: sqlite3.Connection, shot_id: str) -> tuple[Shot, int, Rows]:
        """A shot, its revision and its rows, within a transaction; raises NotFound."""
        revision = self.known(db, shot_id)
        rows: Rows = {
            t: {i: (p, b) for i, p, b in db.execute(f"SELECT id, place, body FROM {t} WHERE shot = ?", (shot_id,))}
            for t in TABLES
        }
        plan = {i: body for i, (_, body) in rows["plan"].items()}
        said = plan.get("travel", "{}")[1:-1]
        travel = f",{said}" if said else ""
        # one text for one parser: reading each row by itself takes several times as long
        text = (
            f'{{"name":{plan["name"]},"delivery":{plan["delivery"]},"limits":{plan["limits"]},'
            f'"photos":{in_order(rows["photo"])},"ties":{in_order(rows["tie"])},"solids":{in_order(rows["solid"])},'
            f'"plates":{plates_of(rows)},"throws":{in_order(rows["throw"])},'
            f'"move":{{"keys":{in_order(rows["key"])}{travel}}},'
            f'"groups":{plan.get("groups", "[]")}}}'
        )
        return Shot.model_validate_json(text), revision, rows

    def _snapshot(self, shot_id: str) -> tuple[Shot, int, Rows]:
        db = self.db
        db.execute("BEGIN")
        try:
            return self.read(db, shot_id)
        finally:
            db.execute("COMMIT")

    def load(self, shot_id: str) -> Shot:
        return self._snapshot(shot_id)[0]

    def load_with_revision(self, shot_id: str) -> tuple[Shot, int]:
        shot, revision, _ = self._snapshot(shot_id)
        return shot, revision

    # ------------------------------------------------------------ changes

    def change(
        self, shot_id: str, label: str, alter: Callable[[Shot], Shot], made_from: MadeFrom | None = None
    ) -> Shot:
        """The one way to change a shot: read, alter, validate and write the rows that differ, as one undoable step.

        When `alter` raises, or what it returns is not a valid shot, nothing has changed. It works on a snapshot,
        outside of any transaction; if another change came first, it is called again on what is there then: it must
        be able to.

        Raises
        ------
        Conflict
            When the list that the change was made from has been changed since.
        Busy
            When the database stays locked, or other changes keep coming first.
        """
        with self._turns.setdefault(shot_id, threading.Lock()):  # of this process, so that none is worked out in vain
            for _ in range(TRIES):
                before, revision, old = self._snapshot(shot_id)
                if made_from is not None and made_from.revision is not None:
                    self._fits(shot_id, made_from, made_from.revision, revision)
                had = self.faults(before)
                after = Shot.model_validate(alter(before).model_dump())
                self._showable(had, after)
                new = rows_of(after)
                if new == old or self._written(shot_id, label, revision, old, new, after.name):
                    return after
        raise Busy("The shot is being changed from elsewhere all the time; try again in a moment.")

    def _showable(self, had: dict[str, str], after: Shot) -> None:
        """Raise Unshowable for what could not be shown, and was not there before."""
        for name, says in self.faults(after).items():
            if name not in had:
                raise Unshowable(says)

    def _fits(self, shot_id: str, made_from: MadeFrom, made_at: int, revision: int) -> None:
        """Raise Conflict when a list, or the shot, has been changed since.

        What comes after the snapshot is found when it is written.
        """
        query = "SELECT revision FROM listed WHERE shot = ? AND list = ?"
        row = self.db.execute(query, (shot_id, made_from.table)).fetchone() if made_from.table else (revision,)
        if row is not None and row[0] > made_at:
            what = f"{made_from.what} {'have' if made_from.table else 'has'}"
            raise Conflict(f"Meanwhile {what} been changed elsewhere; nothing was overwritten. Do it once more.")

    def _written(self, shot_id: str, label: str, revision: int, old: Rows, new: Rows, name: str) -> bool:
        """Write a change that was made from a revision, as a step; False, and nothing, when that is not the last
        one."""
        with self.transaction() as db:
            if self.known(db, shot_id) != revision:
                return False
            db.execute("DELETE FROM step WHERE shot = ? AND undone = 1", (shot_id,))
            step = db.execute("INSERT INTO step (shot, label) VALUES (?, ?)", (shot_id, label)).lastrowid
            db.execute("UPDATE recording SET step = ?", (step,))
            self._write(db, shot_id, old, new)
            db.execute("UPDATE recording SET step = 0")
            self._revised(db, shot_id, name, [t for t in TABLES if old[t] != new[t]])
            db.execute(
                "DELETE FROM step WHERE shot = ? AND id <= (SELECT id FROM step WHERE shot = ? "
                "ORDER BY id DESC LIMIT 1 OFFSET ?)",
                (shot_id, shot_id, KEEP_STEPS),
            )
        return True

    def _revised(self, db: sqlite3.Connection, shot_id: str, name: str, tables: list[str]) -> None:
        """The next revision; and at which one each of some lists has been changed."""
        db.execute("UPDATE shot SET revision = revision + 1, name = ? WHERE id = ?", (name, shot_id))
        db.executemany(
            "INSERT OR REPLACE INTO listed (shot, list, revision) SELECT id, ?2, revision FROM shot WHERE id = ?1",
            [(shot_id, table) for table in tables],
        )

    def _write(self, db: sqlite3.Connection, shot_id: str, old: Rows, new: Rows) -> None:
        for table in TABLES:
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
            self.known(db, shot_id)
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
            touched = {found[1] for s in statements if (found := TABLE_OF.match(s))}
            self._revised(db, shot_id, json.loads(name[0]), [t for t in TABLES if t in touched])
            return str(label)

    # ------------------------------------------------------------ deliveries

    def deliveries(self, shot_id: str) -> list[Delivered]:
        columns = "id, version, form, file, frames, made, revision, says"
        rows = self.db.execute(f"SELECT {columns} FROM delivery WHERE shot = ? ORDER BY id DESC", (shot_id,))
        return [Delivered(*row) for row in rows]


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
  {log} 'UPDATE {table} SET place = ' || quote(old.place) || ', body = ' || quote(old.body)
    || {where.format("new")} {on};
END;
CREATE TRIGGER {table}_out AFTER DELETE ON {table} {when} BEGIN
  {log} 'INSERT INTO {table} (shot, id, place, body) VALUES (' || quote(old.shot) || ', ' || quote(old.id) || ', '
    || quote(old.place) || ', ' || quote(old.body) || ')' {on};
END;
"""
