"""Bringing in meshes."""

from __future__ import annotations

import re

from roofline.core.massing.kinds import Imported
from roofline.formats import meshes
from roofline.model.shot import Shot
from roofline.stages.massing.pieces import thrown_on
from roofline.stages.shots import fresh_id, fresh_name
from roofline.work.desk import Desk


def bring(desk: Desk, shot_id: str, data: bytes, file_name: str) -> str:
    """Bring in a mesh file; returns the new piece's id."""
    mesh = meshes.read(data, file_name)
    file = desk.store.blobs.keep(meshes.packed(mesh), ".glb")
    desk.kept.put("mesh", file, mesh)
    made = ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        stem = re.sub(r"\.[^.]*$", "", file_name.rsplit("/", 1)[-1])
        stem = re.sub(r"[\x00-\x1f\x7f]", "", stem).strip()[:80] or "Mesh"
        name = fresh_name(stem, {s.name for s in shot.solids})
        low, high = mesh.vertices.min(0), mesh.vertices.max(0)
        solid = Imported(
            id=fresh_id(name, [s.id for s in shot.solids]),
            name=name,
            file=file,
            triangles=len(mesh.indices),
            low=(float(low[0]), float(low[1]), float(low[2])),
            high=(float(high[0]), float(high[1]), float(high[2])),
        )
        made = solid.id
        shot.solids.append(solid)
        thrown_on(shot, solid, None)
        return shot

    desk.store.change(shot_id, "Bring in a mesh", alter)
    return made
