"""The seam of a throw: what its camera sees of the set, and where others go on."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View, view_of
from roofline.core.light import to_display
from roofline.core.moment import Pose, still
from roofline.core.plates.seams import Seen, cut, faded
from roofline.core.throw.throws import PlatePicture
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot

if TYPE_CHECKING:
    from roofline.work.engines import Engines

MOST = 1800  # pixels a side that a seam is worked out at
SPILLED = 3  # in `VERDICTS`: what is there only because nothing was asked of the camera's sight


def seam_of(engines: Engines, shot: Shot, plate: Plate, throw: Throw, picture: PlatePicture) -> NDArray[np.float32]:
    """A throw's seam as a matte (H, W) in its picture's own pixels; all throws are taken without seams for it."""
    assert throw.seam is not None
    view, share = _view(shot, plate, picture)
    plain = [t.model_copy(update={"seam": None}) for t in shot.throws]
    # what has been painted out of the plate is not in its way, but hides things from the others as ever
    moment = replace(still(view), poses={s: Pose(opacity=0.0) for s in plate.without})
    mine = shot.model_copy(update={"throws": [t for t in plain if t.plate == plate.id]})
    rest = shot.model_copy(update={"throws": [t for t in plain if t.plate != plate.id]})
    alone, others = engines.engine(mine), engines.engine(rest)
    whole = engines.engine(shot.model_copy(update={"throws": plain}))
    beside = others.measure(moment)
    seen = Seen(
        face=whole.measure(moment).face,
        planes=np.asarray(whole.nearest_cast(moment).depths).reshape(-1, 3),
        own=np.asarray(alone.measure(moment).pair >= 0),
        others=np.asarray((beside.pair >= 0) & (beside.verdict != SPILLED)),
    )
    width = max(1.0, throw.seam.px * share)
    if throw.seam.along == "least":
        shown = [to_display(e.picture(moment)[..., :3]) for e in (alone, others)]
        found = cut(seen, width, *shown)
    else:
        found = faded(seen, width)
    return np.clip(cv2.resize(found, picture.size, interpolation=cv2.INTER_LINEAR), 0, 1)


def _view(shot: Shot, plate: Plate, picture: PlatePicture) -> tuple[View, float]:
    """The plate's picture as a view, smaller where it is large, and pixels of it per pixel of the photo."""
    camera = shot.photo(plate.photo).camera
    assert camera is not None
    seen = view_of(camera)
    x0, y0, w, h = picture.canvas or plate.canvas
    k = min(1.0, MOST / max(w, h))
    size = max(2, round(w * k)), max(2, round(h * k))
    k = size[0] / w
    centre = (seen.centre[0] - x0) * k, (seen.centre[1] - y0) * k
    return View(*size, seen.focal * k, centre, seen.rotation, seen.position), k
