"""A new kind of solid is one module: known to the model, to packages and to the server by being there."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from roofline.core.massing import kinds
from roofline.core.massing.kinds import Solid
from roofline.core.massing.kinds.base import Placing
from roofline.model.massing import KINDS

WEDGE = '''
from __future__ import annotations
from typing import ClassVar, Literal, Self
import numpy as np
from roofline.core.massing.kinds.base import Boxed, Drawing, rectangle
from roofline.core.massing.solids import Faces, Meshes, turned

class Wedge(Boxed):
    """A ramp that rises away from its front."""
    kind: Literal["wedge"] = "wedge"
    feet: ClassVar[int | None] = 2
    turn_deg: float = 0.0

    def shape(self, meshes: Meshes) -> Faces:
        w, h, d = self.size
        v = np.array([[0, 0, 0], [w, 0, 0], [w, 0, d], [0, 0, d], [0, h, 0], [w, h, 0]], float)
        loops = [[3, 2, 5, 4], [1, 0, 4, 5], [0, 3, 4], [2, 1, 5], [0, 1, 2, 3]]
        names = ["ramp", "back", "left", "right", "base"]
        return Faces(turned(v, self.corner, self.turn_deg), names, loops)

    @classmethod
    def drawn(cls, d: Drawing) -> Self:
        ident, name = d.called("wedge")
        low, high, _ = rectangle(d.view, d.points[0], d.points[1], d.level, "a wedge")
        size = (float(high[0] - low[0]), 1.0, float(high[2] - low[2]))
        return cls(id=ident, name=name, corner=(float(low[0]), d.level, float(low[2])), size=size)
'''

TRY = """
import sys, json, tempfile
from pathlib import Path
from roofline.demo.shot import DEMO_ID, FOLDER
from roofline.server.app import create_app
from roofline.stages import shots
with tempfile.TemporaryDirectory() as data:
    app = create_app(Path(data))
    shots.take_in(app.extensions["roofline"].desk, FOLDER, shot_id=DEMO_ID)
    client, base = app.test_client(), f"/api/shots/{DEMO_ID}"
    built = client.post(f"{base}/construct", json={"kind": "wedge", "points": [[1300, 1900], [1900, 1700]]})
    assert built.status_code == 200, built.get_data(as_text=True)
    wedge = next(s for s in built.get_json()["state"]["shot"]["solids"] if s["kind"] == "wedge")
    pulled = client.post(f"{base}/solids/{wedge['id']}/pull", json={"corner": 4, "axis": "rise", "by": 0.5})
    after = next(s for s in pulled.get_json()["shot"]["solids"] if s["kind"] == "wedge")
    assert abs(after["size"][1] - wedge["size"][1] - 0.5) < 1e-9
    moved = client.post(f"{base}/arrange", json={"op": "mirror", "ids": [wedge["id"]], "axis": "return"})
    assert moved.status_code == 200, moved.get_data(as_text=True)
    assert client.get(f"{base}/depth/at?x=1500&y=1750").get_json()["surface"]
    out = Path(data) / "out"
    from roofline.formats.package import open_package, write_package
    store = app.extensions["roofline"].desk.store
    write_package(store.load(DEMO_ID), store.blobs.read, out)
    again = open_package(out).shot
    assert next(s for s in again.solids if s.kind == "wedge").size == tuple(after["size"])
    assert "wedge" in json.dumps(client.get("/api/openapi.json").get_json())
    app.extensions["roofline"].desk.close()
print("built")
"""


@pytest.mark.slow
def test_a_new_kind_is_one_module(tmp_path):
    """Laid beside the others, in a process of its own: drawn, dragged, mirrored, packed, described."""
    folder = Path(tmp_path) / "more"
    folder.mkdir()
    (folder / "wedge.py").write_text(WEDGE)
    # as if it lay in the package: it is found on the same path, before any shot is described
    hook = (
        "import importlib.abc, importlib.util, sys\n"
        "class Beside(importlib.abc.MetaPathFinder):\n"
        "    def find_spec(self, name, path, target=None):\n"
        "        if name == 'roofline.core.massing.kinds.wedge':\n"
        f"            return importlib.util.spec_from_file_location(name, {str(folder / 'wedge.py')!r})\n"
        "sys.meta_path.insert(0, Beside())\n"
        "import pkgutil\n"
        "plain = pkgutil.iter_modules\n"
        "def more(path=None, prefix=''):\n"
        "    path = list(path) if path is not None else None\n"
        "    if path and path[0].endswith('massing/kinds'):\n"
        f"        path.append({str(folder)!r})\n"
        "    return plain(path, prefix)\n"
        "pkgutil.iter_modules = more\n"
    )
    done = subprocess.run([sys.executable, "-c", hook + TRY], capture_output=True, text=True, timeout=300)
    assert done.returncode == 0 and "built" in done.stdout, done.stderr[-3000:]


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_kind_keeps_the_protocol(name):
    kind = KINDS[name]
    assert issubclass(kind, Solid) and kinds.kind_of(name) is kind
    assert kind.own and kind.own <= set(kind.model_fields)
    for method in ("shape", "placed", "mirrored", "pulled"):
        assert getattr(kind, method) is not getattr(Solid, method), f"{name} does not say {method}"
    assert kind.__doc__ and kind.__doc__ != Solid.__doc__


def test_what_is_placed_twice_is_placed_once():
    from roofline.core.massing.kinds import Block

    block = Block(id="b", name="B", corner=(1.0, 0.5, -4.0), size=(2.0, 3.0, 1.0), turn_deg=12.0)
    once = block.placed(Placing(2.0, 30.0, [1.0, 0.0, 2.0])).placed(Placing(0.5, -30.0, [0.0, 0.0, 0.0]))
    assert once.size == pytest.approx(block.size) and once.turn_deg == pytest.approx(12.0)
