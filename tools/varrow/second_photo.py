"""The demo shot's second photograph: surveyed by the edges that are found, joined to the first by corners that both
show, matched to it in colour, and laid behind it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from roofline.core.camera import View, bend
from roofline.core.survey.found import taken
from roofline.model.shot import Shot
from roofline.model.survey import Survey, Tie
from roofline.stages import finding, plates, survey
from roofline.work.desk import Desk

from . import truth as t

HAND = 0.4  # px
Levels = Callable[[tuple[float, float, float]], float]  # from a true spot, in metres, to the level it is built at


def corners() -> list[tuple[str, tuple[float, float, float]]]:
    """Spots that both photographs show, with their names; those at no height lie on the ground, and give the scale."""
    roof, hut, canopy, chimney, far = t.HOUSE_ROOF, t.HUT_ROOF, t.CANOPY, t.CHIMNEY, t.HOUSE
    ridge, middle = (roof["lo"][2] + roof["hi"][2]) / 2, (hut["lo"][0] + hut["hi"][0]) / 2
    level = far["lo"][1]
    return [
        ("House corner", (far["hi"][0], level, far["hi"][2])),
        ("Hut, left foot", (t.HUT["lo"][0], level, t.HUT["hi"][2])),
        ("Hut, right foot", (t.HUT["hi"][0], level, t.HUT["hi"][2])),
        ("Eaves, left", (roof["lo"][0], roof["lo"][1], roof["hi"][2])),
        ("Eaves, right", (roof["hi"][0], roof["lo"][1], roof["hi"][2])),
        ("Ridge, left", (roof["lo"][0], roof["hi"][1], ridge)),
        ("Ridge, right", (roof["hi"][0], roof["hi"][1], ridge)),
        ("Chimney, left", (chimney["lo"][0], chimney["hi"][1], chimney["hi"][2])),
        ("Chimney, right", (chimney["hi"][0], chimney["hi"][1], chimney["hi"][2])),
        ("Hut eaves, left", (hut["lo"][0], hut["lo"][1], hut["hi"][2])),
        ("Hut eaves, right", (hut["hi"][0], hut["lo"][1], hut["hi"][2])),
        ("Hut gable", (middle, hut["hi"][1], hut["hi"][2])),
        ("Canopy, left", (canopy["lo"][0], canopy["hi"][1], canopy["hi"][2])),
        ("Canopy, right", (canopy["hi"][0], canopy["hi"][1], canopy["hi"][2])),
        *((f"Post {n}", (x, level, t.POST_Z)) for n, x in enumerate(t.POSTS_X, 1)),
        ("Lamp", (t.LAMP["foot"][0], 0.0, t.LAMP["foot"][2])),
        ("Trolley", (t.TROLLEY["lo"][0], 0.0, t.TROLLEY["hi"][2])),
    ]


def as_taken(view: View, points: np.ndarray) -> np.ndarray:
    """Where the second photograph, its lens still in it, shows points (n, 3)."""
    plain = (view.project(points) - view.centre) / view.focal
    return bend(plain, t.LENS_SECOND) * view.focal + view.centre


def join(desk: Desk, shot_id: str, first: str, second: str) -> None:
    """Survey the second photo and join it: before anything is built, so that what is built fits both."""
    rng = np.random.default_rng(7)
    found = finding.find_edges(desk, shot_id, second)
    survey.keep(desk, shot_id, second, taken(Survey(distortion="solve"), found), "Survey the second photo")
    spots = corners()
    at = np.array([p for _, p in spots])
    both = t.first_view().project(at), as_taken(t.second_view(), at)
    clicked = [np.round(seen + rng.normal(0, HAND, seen.shape), 2) for seen in both]
    ties = []
    for n, (name, (_, height, _)) in enumerate(spots):
        seen = {photo: tuple(pixels[n].tolist()) for photo, pixels in zip((first, second), clicked, strict=True)}
        ties.append(Tie(id=f"corner-{n + 1}", name=name, seen=seen, surface=None if height else "ground"))
    survey.tie(desk, shot_id, ties, "Join the photos", None)


def levels(shot: Shot) -> Levels:
    """At what level both photos see a spot; for the first one alone, a centimetre of it is two decimetres in depth."""
    true = dict(corners())
    ties = [x for x in shot.ties if x.world is not None and true[x.name][1]]
    given = np.array([[1.0, *true[x.name]] for x in ties])
    fit = np.linalg.lstsq(given, np.array([x.world[1] for x in ties if x.world]), rcond=None)[0]
    return lambda spot: float(fit @ [1.0, *spot])


def lay_in(desk: Desk, shot_id: str, first: str, second: str) -> None:
    """The second photo matched to the first, and right behind it in the order: from home all is as it was.

    Without a seam: matched, the step between the two does not show, and a seam would be worked out whenever a piece
    moves.
    """
    match = plates.matched(desk, shot_id, second, first)
    print("match", match)

    def alter(shot: Shot) -> Shot:
        mine = next(x for x in shot.throws if x.plate == second).model_copy(update={"grade": match.grade})
        rest = [x for x in shot.throws if x.plate != second]
        at = next(i for i, x in enumerate(rest) if x.plate == first)
        shot.throws = [*rest[: at + 1], mine, *rest[at + 1 :]]
        return shot

    desk.store.change(shot_id, "Lay the second photo in", alter)
