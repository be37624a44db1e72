"""Long work as rows: what was ordered outlives the program."""

from __future__ import annotations

import json
import secrets
from dataclasses import dataclass
from typing import Any

from roofline.errors import NotFound
from roofline.model.shot import Shot
from roofline.store.store import Store

OPEN = ("ordered", "running")


@dataclass
class Order:
    """A row of long work. ``body`` is what was asked for; ``snapshot`` the shot by then, where the work is done on
    that."""

    id: str
    shot: str
    kind: str
    label: str
    state: str
    body: dict[str, Any]
    revision: int
    version: int | None
    result: Any
    error: str | None


COLUMNS = "id, shot, kind, label, state, body, revision, version, result, error"


def _order(row: tuple) -> Order:
    named = dict(zip(COLUMNS.split(", "), row, strict=True))
    result = None if named["result"] is None else json.loads(named["result"])
    return Order(**named | {"body": json.loads(named["body"]), "result": result})


class Orders:
    """The rows of long work in a store."""

    def __init__(self, store: Store):
        self.store = store

    def add(self, shot_id: str, kind: str, label: str, body: dict[str, Any], deliver: bool) -> Order:
        """Write an order down. One that delivers gets the shot as it is by now, and the next version, reserved."""
        ident = secrets.token_hex(6)
        with self.store.transaction() as db:
            if deliver:
                shot, revision = self.store.read(db, shot_id)[:2]
                snapshot = shot.model_dump_json()
                version = self._next_version(db, shot_id)
            else:
                revision, snapshot, version = self.store.known(db, shot_id), None, None
            db.execute(
                "INSERT INTO job (id, shot, kind, label, body, snapshot, revision, version) VALUES (?,?,?,?,?,?,?,?)",
                (ident, shot_id, kind, label, json.dumps(body), snapshot, revision, version),
            )
        return self.get(ident)

    def _next_version(self, db: Any, shot_id: str) -> int:
        query = (
            "SELECT max(coalesce((SELECT max(version) FROM delivery WHERE shot = ?1), 0),"
            " coalesce((SELECT max(version) FROM job WHERE shot = ?1), 0)) + 1"
        )
        return int(db.execute(query, (shot_id,)).fetchone()[0])

    def get(self, job_id: str) -> Order:
        row = self.store.db.execute(f"SELECT {COLUMNS} FROM job WHERE id = ?", (job_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no job '{job_id}'.")
        return _order(row)

    def there(self, job_id: str) -> bool:
        """Whether the row of an order is there: it goes with its shot."""
        return self.store.db.execute("SELECT 1 FROM job WHERE id = ?", (job_id,)).fetchone() is not None

    def snapshot(self, job_id: str) -> Shot:
        """The shot as it was when a delivery was ordered."""
        row = self.store.db.execute("SELECT snapshot FROM job WHERE id = ?", (job_id,)).fetchone()
        if row is None or row[0] is None:
            raise NotFound(f"There is no shot kept with job '{job_id}'.")
        return Shot.model_validate_json(row[0])

    def open(self) -> list[Order]:
        """What has been ordered and has not ended, in order."""
        rows = self.store.db.execute(
            f"SELECT {COLUMNS} FROM job WHERE state IN ('ordered', 'running') ORDER BY made, rowid"
        )
        return [_order(row) for row in rows]

    def ended(self, state: str) -> list[Order]:
        """What has ended in a state and still holds a version."""
        rows = self.store.db.execute(
            f"SELECT {COLUMNS} FROM job WHERE state = ? AND version IS NOT NULL ORDER BY made, rowid", (state,)
        )
        return [_order(row) for row in rows]

    def run(self, job_id: str) -> bool:
        """Mark an order as running; False when it has ended or is gone."""
        with self.store.transaction() as db:
            done = db.execute(
                "UPDATE job SET state = 'running' WHERE id = ? AND state IN ('ordered', 'running')", (job_id,)
            )
            return done.rowcount == 1

    def end(self, job_id: str, state: str, result: Any = None, error: str | None = None) -> bool:
        """Mark an order as done, failed or cancelled; False when it had ended before, or is gone."""
        with self.store.transaction() as db:
            done = db.execute(
                "UPDATE job SET state = ?, result = ?, error = ?, snapshot = NULL "
                "WHERE id = ? AND state IN ('ordered', 'running')",
                (state, json.dumps(result), error, job_id),
            )
            db.execute(
                "DELETE FROM job WHERE version IS NULL AND state NOT IN ('ordered', 'running') AND id IN "
                "(SELECT id FROM job WHERE version IS NULL ORDER BY made DESC, rowid DESC LIMIT -1 OFFSET 200)"
            )
            return done.rowcount == 1

    def release(self, job_id: str) -> None:
        """Give a version back whose files are gone."""
        with self.store.transaction() as db:
            db.execute("DELETE FROM frame WHERE job = ?", (job_id,))
            db.execute("UPDATE job SET version = NULL WHERE id = ?", (job_id,))

    # ------------------------------------------------------------ frames and deliveries

    def frames(self, job_id: str) -> dict[int, str]:
        """The frames that are written: number → file name."""
        return dict(self.store.db.execute("SELECT number, file FROM frame WHERE job = ?", (job_id,)))

    def frame_written(self, job_id: str, number: int, file: str) -> None:
        with self.store.transaction() as db:
            db.execute("INSERT OR REPLACE INTO frame (job, number, file) VALUES (?, ?, ?)", (job_id, number, file))

    def delivered(
        self, order: Order, form: str, file: str, frames: int, result: dict[str, Any], says: str = ""
    ) -> bool:
        """Write a finished delivery down and end its order, in one; False when it was cancelled in the meantime."""
        with self.store.transaction() as db:
            done = db.execute(
                "UPDATE job SET state = 'done', result = ?, snapshot = NULL WHERE id = ? AND state = 'running'",
                (json.dumps(result), order.id),
            )
            if done.rowcount != 1:
                return False
            db.execute(
                "INSERT INTO delivery (shot, version, form, file, frames, revision, says) VALUES (?, ?, ?, ?, ?, ?, ?)",
                (order.shot, order.version, form, file, frames, order.revision, says),
            )
            return True
