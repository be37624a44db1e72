"""A shot as rows."""

from __future__ import annotations

import json
from collections.abc import Sequence

from roofline.model.base import Model
from roofline.model.shot import Shot

TABLES = ("plan", "photo", "tie", "solid", "plate", "throw", "key")
Rows = dict[str, dict[str, tuple[int, str]]]  # table → id → (place, JSON body)


def _listed(items: Sequence[Model]) -> dict[str, tuple[int, str]]:
    return {item.id: (place, item.model_dump_json()) for place, item in enumerate(items)}  # type: ignore[attr-defined]


def _travel(shot: Shot) -> dict[str, tuple[int, str]]:
    """How the camera travels, besides its keys; no row where there is nothing to say."""
    said = shot.move.model_dump_json(exclude={"keys"}, exclude_defaults=True)
    rows = {} if said == "{}" else {"travel": (3, said)}
    if shot.groups:
        rows["groups"] = (4, json.dumps([g.model_dump(mode="json") for g in shot.groups]))
    return rows


def rows_of(shot: Shot) -> Rows:
    """A shot as rows."""
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
        "plate": _listed(shot.plates),
        "throw": {f"{i:04d}": (i, t.model_dump_json()) for i, t in enumerate(shot.throws)},
        "key": {str(k.frame): (k.frame, k.model_dump_json()) for k in shot.move.keys},
    }
