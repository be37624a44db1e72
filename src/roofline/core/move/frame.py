"""One frame, whatever it is delivered at: what becomes of it when another size is stated.

Keys hold their lenses relative to home, so that a frame over the photo is all that there is to keep.
"""

from __future__ import annotations

from roofline.model.handoff import Delivery, Framing
from roofline.model.shot import Shot

SAME = 1e-9  # of a length, below which two are one


def _over(shot: Shot) -> tuple[Framing | None, tuple[int, int] | None]:
    """The delivered frame over the photo, or as it would lie over one without a camera yet; and the photo's size."""
    photo = shot.home_photo or (shot.photos[0] if shot.photos else None)
    if photo is None or photo.width is None or photo.height is None:
        return shot.delivery.framing, None
    size, d = (photo.width, photo.height), shot.delivery
    if shot.framing is not None:
        return shot.framing, size
    scale = min(size[0] / d.width, size[1] / d.height)
    return Framing(scale=scale, centre=(size[0] / 2, size[1] / 2)), size


def resized(shot: Shot, width: int, height: int) -> Delivery:
    """What is delivered, at another size: the same frame over the photo, written finer or coarser.

    With another aspect the frame's height stays and its width follows; where the photo is not so wide, the width is
    the photo's and the height follows. Without a photo there is no frame to keep.
    """
    was = shot.delivery
    now = was.model_copy(update={"width": width, "height": height})
    framing, size = _over(shot)
    if framing is None or (was.framing is None and width * was.height == height * was.width):
        return now
    across, down = was.width * framing.scale, was.height * framing.scale
    scale = down / height
    x, y = framing.centre
    if size is not None and width * scale > max(across, size[0]) * (1 + SAME):
        scale = max(across, size[0]) / width
    if size is not None and across * (1 + SAME) < width * scale <= size[0] * (1 + SAME):
        half = width * scale / 2  # wider than before: it moves aside rather than past the photo's border
        x = min(max(x, half), size[0] - half)
    now.framing = Framing(scale=scale, centre=(x, y))
    return now


def proofed(shot: Shot, part: int) -> Shot:
    """The shot as a proof shows it: the same frame at a half (2) or a quarter (4) of its size, in whole pixels."""
    d = shot.delivery
    if part == 1:
        return shot
    size = max(16, round(d.width / part)), max(16, round(d.height / part))
    return shot.model_copy(update={"delivery": resized(shot, *size)})
