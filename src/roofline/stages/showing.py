"""Whether all that a shot is shown by can be worked out: asked before a change is kept, and of whatever is opened.

What is refused is not kept, and what is kept closes no shot.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from pydantic import TypeAdapter
from shapely import LinearRing

from roofline.core.massing.cuts import pinched
from roofline.core.massing.kinds import Block, Room, Slab, Wall
from roofline.core.massing.solids import faces_of
from roofline.core.move.path import home_key, lens_centre
from roofline.errors import MassingError, MoveError, RoofLineError
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid

FAR = 1e7  # metres; no set reaches so far, and single floats tell no centimetres there
LONG = 1e9  # pixels of focal length
SHORT = 1e-4  # metres
SOLID: TypeAdapter[AnySolid] = TypeAdapter(AnySolid)
#: what computing with absurd numbers raises
WRONG = (RoofLineError, ArithmeticError, ValueError, IndexError, AssertionError, np.linalg.LinAlgError)


@lru_cache(maxsize=4096)
def _wrong_with(solid: str) -> str | None:
    """What is wrong with a solid, given as JSON; None when it can be shown."""
    piece = SOLID.validate_json(solid)
    try:
        vertices = np.asarray(faces_of(piece).vertices, float)
    except WRONG as error:
        return str(error) if isinstance(error, MassingError) else "its shape cannot be worked out."
    if not np.isfinite(vertices).all() or np.abs(vertices).max(initial=0) > FAR:
        return f"it reaches farther than {FAR / 1000:.0f} km."
    return None


@lru_cache(maxsize=4096)
def _no_shape(solid: str) -> str | None:
    """Why a solid, given as JSON, is none, though something could be shown of it."""
    piece = SOLID.validate_json(solid)
    if isinstance(piece, Wall) and piece.length < SHORT:
        return "is a wall from a point to itself."
    if isinstance(piece, Slab) and not LinearRing(piece.outline).is_simple:
        return "has an outline that crosses itself."
    if isinstance(piece, Wall | Block | Room) and piece.cuts:
        cells = piece.cells()
        if cells is not None and pinched(cells):
            return "has openings that meet in an edge only: let them overlap, or leave some of the piece between them."
    return None


def _framed(shot: Shot) -> str | None:
    try:
        home = home_key(shot, shot.frame_range[0])
        centre = lens_centre(shot)
    except MoveError:
        return None  # not surveyed yet
    except WRONG:
        return "The delivered frame over the photo cannot be worked out."
    if not 1 / LONG < home.focal_px < LONG or np.abs(centre).max() > LONG:
        return "The delivered frame lies absurdly over the photo."
    return None


def refused(shot: Shot) -> dict[str, str]:
    """What no change may bring into a shot: what cannot be shown, and what is no shape. As `faults`."""
    found = faults(shot)
    for solid in shot.solids:
        if solid.id not in found and isinstance(solid, Wall | Slab | Block | Room):
            none = _no_shape(solid.model_dump_json(exclude={"tags", "group"}))
            if none:
                found[solid.id] = f"“{solid.name}” {none}"
    return found


def faults(shot: Shot) -> dict[str, str]:
    """What of a shot cannot be shown: sentences, by the id of a piece, or by a name in brackets."""
    found = {}
    for solid in shot.solids:
        wrong = _wrong_with(solid.model_dump_json(exclude={"tags", "group"}))
        if wrong:
            found[solid.id] = f"“{solid.name}” cannot be shown: {wrong}"
    for key in shot.move.keys:
        if np.abs(key.position).max() > FAR or not 1 / LONG < key.focal_px < LONG or abs(key.frame) > 10**9:
            found[f"(key {key.frame})"] = f"The key on frame {str(key.frame)[:12]} stands absurdly far off."
    framed = _framed(shot)
    if framed:
        found["(framing)"] = framed
    return found
