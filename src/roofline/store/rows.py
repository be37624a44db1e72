"""A shot as rows, and rows as the JSON of a shot.

The steps of plates and their strokes are rows of their own, so that a stroke costs a stroke: in what is written, and
in the log of what undoes it. Their ids say whose they are: plate/step, plate/step/step of its where,
plate/step/stroke. Rows of before hold a plate's steps in its body; they are read as they are, and become rows of their
own when they are changed.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from roofline.model.base import Model
from roofline.model.plates import Plate
from roofline.model.shot import Shot

TABLES = ("plan", "photo", "tie", "solid", "plate", "plate_step", "stroke", "throw", "key")
Table = dict[str, tuple[int, str]]  # id → (place, JSON body)
Rows = dict[str, Table]


def _listed(items: Sequence[Model]) -> Table:
    return {item.id: (place, item.model_dump_json()) for place, item in enumerate(items)}  # type: ignore[attr-defined]


def _travel(shot: Shot) -> Table:
    """How the camera travels, besides its keys; no row where there is nothing to say."""
    said = shot.move.model_dump_json(exclude={"keys"}, exclude_defaults=True)
    rows = {} if said == "{}" else {"travel": (3, said)}
    if shot.groups:
        rows["groups"] = (4, json.dumps([g.model_dump(mode="json") for g in shot.groups]))
    return rows


def _worked(plates: Sequence[Plate]) -> tuple[Table, Table]:
    """The steps of plates, and the strokes of these."""
    steps: Table = {}
    strokes: Table = {}

    def put(ident: str, place: int, step: Any) -> None:
        parts = {n: v for n in ("where", "strokes") if isinstance(v := getattr(step, n, None), list) and v}
        steps[ident] = place, step.model_dump_json(exclude=set(parts))
        for number, stroke in enumerate(parts.get("strokes", [])):
            strokes[f"{ident}/{stroke.id}"] = number, stroke.model_dump_json()
        for number, inner in enumerate(parts.get("where", [])):
            put(f"{ident}/{inner.id}", number, inner)

    for plate in plates:
        for number, step in enumerate(plate.steps):
            put(f"{plate.id}/{step.id}", number, step)
    return steps, strokes


def _by_owner(table: Table) -> dict[str, list[tuple[str, str]]]:
    """Ids and bodies in their order, by the id of what they belong to."""
    out: dict[str, list[tuple[str, str]]] = defaultdict(list)
    for ident, (_, body) in sorted(table.items(), key=lambda row: row[1][0]):
        out[ident.rpartition("/")[0]].append((ident, body))
    return out


def in_order(table: Table) -> str:
    """The JSON of a list of rows."""
    return "[" + ",".join(body for _, body in sorted(table.values())) + "]"


def plates_of(rows: Rows) -> str:
    """The JSON of a shot's plates with their steps and strokes."""
    steps, strokes = _by_owner(rows["plate_step"]), _by_owner(rows["stroke"])

    def with_parts(ident: str, body: str, name: str) -> str:
        inner = ",".join(with_parts(i, b, "where") for i, b in steps.get(ident, ()))
        drawn = ",".join(b for _, b in strokes.get(ident, ()))
        more = (f',"{name}":[{inner}]' if inner else "") + (f',"strokes":[{drawn}]' if drawn else "")
        return body[:-1] + more + "}"

    return "[" + ",".join(with_parts(i, body, "steps") for i, body in _by_owner(rows["plate"])[""]) + "]"


def rows_of(shot: Shot) -> Rows:
    """A shot as rows."""
    steps, strokes = _worked(shot.plates)
    return {
        "plan": _travel(shot)
        | {
            "name": (0, json.dumps(shot.name)),
            "delivery": (1, shot.delivery.model_dump_json()),
            "limits": (2, shot.limits.model_dump_json()),
        },
        "photo": _listed(shot.photos),
        "tie": _listed(shot.ties),
        "solid": _listed(shot.solids),
        "plate": {
            p.id: (place, p.model_dump_json(exclude={"steps"} if p.steps else None))
            for place, p in enumerate(shot.plates)
        },
        "plate_step": steps,
        "stroke": strokes,
        "throw": {f"{i:04d}": (i, t.model_dump_json()) for i, t in enumerate(shot.throws)},
        "key": {str(k.frame): (k.frame, k.model_dump_json()) for k in shot.move.keys},
    }
