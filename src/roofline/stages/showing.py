"""Whether all that a shot is shown by can be worked out: asked before a change is kept, and of whatever is opened.

What is refused is not kept, and what is kept closes no shot.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from pydantic import TypeAdapter

from roofline.core.massing.solids import faces_of
from roofline.core.move.path import home_key, lens_centre
from roofline.errors import MassingError, MoveError, RoofLineError
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid

FAR = 1e7  # metres; no set reaches so far, and single floats tell no centimetres there
LONG = 1e9  # pixels of focal length
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


def _framed(shot: Shot) -> str | None:
    try:
        home_key(shot, shot.frame_range[0])
        centre = lens_centre(shot)
    except MoveError:
        return None  # not surveyed yet
    except WRONG:
        return "The delivered frame over the photo cannot be worked out."
    if not 1 / LONG < shot.home_px < LONG or np.abs(centre).max() > LONG:
        return "The delivered frame lies absurdly over the photo."
    return None


def refused(shot: Shot) -> dict[str, str]:
    """What no change may bring into a shot: what cannot be shown, and what is no shape. As `faults`."""
    found = faults(shot)
    for solid in shot.solids:
        amiss = None if solid.id in found else solid.amiss()
        if amiss:
            found[solid.id] = f"“{solid.name}” {amiss}"
    return found


def faults(shot: Shot) -> dict[str, str]:
    """What of a shot cannot be shown: sentences, by the id of a piece, or by a name in brackets."""
    found = {}
    for solid in shot.solids:
        wrong = _wrong_with(solid.model_dump_json(exclude={"tags", "group"}))
        if wrong:
            found[solid.id] = f"“{solid.name}” cannot be shown: {wrong}"
    for key in shot.move.keys:
        if np.abs(key.position).max() > FAR or not 1 / LONG < key.focal(shot.home_px) < LONG or abs(key.frame) > 10**9:
            found[f"(key {key.frame})"] = f"The key on frame {str(key.frame)[:12]} stands absurdly far off."
    framed = _framed(shot)
    if framed:
        found["(framing)"] = framed
    return found
