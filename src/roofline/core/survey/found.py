"""What is found in a photo: edges, the camera that they give, and how far that is open beyond what they miss by."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy.spatial.transform import Rotation

from roofline.core.survey.assumed import DIAGONAL_MM, LENS_DOUBT, assumed_lens
from roofline.core.survey.solve import solve
from roofline.errors import SurveyError
from roofline.model.base import FAMILIES, Family
from roofline.model.survey import (
    Assumption,
    Camera,
    Doubt,
    Edge,
    FocalPrior,
    Survey,
    SurveyInput,
    SurveyResult,
    SurveySigma,
)

FOUND_SIGMA = 0.4  # pixels; what snapped points are good for
RANDOM = 7
TURNED_DEG = 10.0  # one sigma of a rotation beyond which a level camera is the better guess
LOOSELY = 0.15  # of the focal length: what another direction must leave of doubt to bear a reading out
UNUSUAL = 0.8  # natural log of a focal length over a usual one: below 16 mm or above 78 mm equivalent
WILD = 0.5  # natural log of a focal length over what it should be: farther off says no more than this
OTHERWISE = np.radians(30)  # turned by more, it is the directions that have other names, not another turn
SHORT = 0.04  # of the diagonal: a direction without a longer edge is weak
AGREED = 0.6  # of the straight length: where less agrees with a reading, each of its directions is doubted
RESAMPLED = 16  # times that the edges are drawn anew, to see how far the camera depends on which were found


@dataclass
class Reading:
    """One way to read a picture: its camera, and how much of the picture's straight length agrees."""

    camera: Camera
    sigma: SurveySigma
    share: float
    found: Found


@dataclass
class Found:
    """Edges with their families, the camera that they give, how much of the picture's straight length agrees, and the
    next best readings."""

    edges: list[Edge]
    result: SurveyResult
    share: float
    distortion: bool
    others: list[Reading] = field(default_factory=list)
    doubt: Doubt = field(default_factory=Doubt)  # of who has not looked at the readings
    chosen: Doubt = field(default_factory=Doubt)  # of who has, and chose this one


def _resampled(found: Found, known: SurveyInput) -> tuple[float, float]:
    """Spread of the log focal length, and of the rotation in radians, over edges drawn anew with replacement.

    The bootstrap (Efron 1979): pixel noise tells how well the edges found are measured, this tells how far the camera
    depends on which of them were found, and on some that do not belong where they were put.
    """
    rng = np.random.default_rng(RANDOM)
    logs, turns = [], []
    base = np.array(found.result.camera.rotation)
    plain = known.model_copy(update={"distortion": found.result.camera.distortion if found.distortion else "none"})
    for _ in range(RESAMPLED):
        drawn = [found.edges[i] for i in rng.integers(0, len(found.edges), len(found.edges))]
        drawn = [e.model_copy(update={"id": f"b{n}"}) for n, e in enumerate(drawn)]
        try:
            got, _ = solved(plain, drawn, False, found.result.camera.focal_px)
        except SurveyError:
            continue
        logs.append(np.log(got.camera.focal_px))
        turns.append(float(Rotation.from_matrix(np.array(got.camera.rotation) @ base.T).magnitude()))
    if len(logs) < 4:
        return 0.5, 0.2
    # one wild draw of sixteen counts, and does not say all
    off = np.clip(np.array(logs) - np.log(found.result.camera.focal_px), -WILD, WILD)
    return float(np.sqrt(np.mean(off**2))), float(np.sqrt(np.mean(np.square(np.minimum(turns, OTHERWISE)))))


def _left_out(found: Found, known: SurveyInput, families: tuple[Family, ...]) -> Iterator[SurveyResult]:
    """What is solved without the edges of one direction, of each in turn; nothing where these do not do without it."""
    plain = known.model_copy(update={"distortion": "none"})
    for family in families:
        rest = [e for e in found.edges if e.family != family]
        with contextlib.suppress(SurveyError):
            yield solved(plain, rest, False, found.result.camera.focal_px)[0]


def _without_families(found: Found, known: SurveyInput) -> tuple[float, float]:
    """How far the log focal length moves, and the rotation in radians, when the edges of one direction are left out;
    root mean square."""
    moved, turns = list[float](), list[float]()
    base = np.array(found.result.camera.rotation)
    for got in _left_out(found, known, FAMILIES):
        moved.append(float(np.log(got.camera.focal_px / found.result.camera.focal_px)))
        turn = float(Rotation.from_matrix(np.array(got.camera.rotation) @ base.T).magnitude())
        if turn < OTHERWISE:  # as far as it is more than the fewer edges allow for
            turns.append(float(np.sqrt(max(turn**2 - np.radians(2 * got.sigma.rotation_deg) ** 2, 0.0))))
    return float(np.sqrt(np.mean(np.square(moved or [0.0])))), float(np.sqrt(np.mean(np.square(turns or [0.0]))))


def _told_otherwise(found: Found, known: SurveyInput) -> bool:
    """Whether a level direction with Rise tells the focal length too, and not the two level ones alone."""
    one_out = _left_out(found, known, FAMILIES[:2])
    return any((got.sigma.focal_px or np.inf) < LOOSELY * got.camera.focal_px for got in one_out)


def doubts(found: Found, known: SurveyInput, rivals: Sequence[Found]) -> tuple[Doubt, Doubt]:
    """How far the camera of edges that were found is open: to who has not looked, and to who has looked at the readings
    and chosen this one. ``rivals``: other readings that are not ruled out."""
    result = found.result
    focal = result.camera.focal_px
    spread, turned = _resampled(found, known)
    if found.share < AGREED:  # a picture of which so much is something else may be that in part
        moved, swung = _without_families(found, known)
        spread, turned = float(np.hypot(spread, moved)), float(np.hypot(turned, swung))
    said, weak = list[str](), list[str]()
    apart = 0.0
    for rival in rivals:
        apart = max(apart, abs(rival.result.camera.focal_px - focal) / focal)
        said.append(
            f"The picture can be read in another way that agrees with {100 * rival.share:.0f} % of its straight lines "
            f"(this one with {100 * found.share:.0f} %): {rival.result.camera.focal_px * 36 / known.width:.1f} mm in "
            f"place of {focal * 36 / known.width:.1f} mm (36 mm film back). Look at the grid of each."
        )
    usual = assumed_lens(known, Assumption()).value
    if known.focal_px is None and abs(np.log(focal / usual)) > UNUSUAL and not _told_otherwise(found, known):
        spread = max(spread, abs(focal - usual) / focal)
        weak.append(
            f"A lens of {focal * DIAGONAL_MM / np.hypot(known.width, known.height):.0f} mm equivalent follows only if "
            "Run and Return are at right angles. If these fronts are not, it may be a usual lens: say which, if you "
            "know, or trace edges of a front that is."
        )
    wider = 1.0
    for family in FAMILIES:
        own = [np.hypot(*np.subtract(e.points[-1], e.points[0])) for e in found.edges if e.family == family]
        if own and max(own) < SHORT * np.hypot(known.width, known.height):
            wider *= 1.5
            weak.append(f"{family.capitalize()} is carried by short edges only: trace longer ones to be sure.")

    def doubt(share: float, words: list[str]) -> Doubt:
        turn = wider * turned
        if found.share < AGREED:  # with its vanishing points held, a focal length off by a part turns it by half
            turn = max(turn, 0.5 * wider * share)
        turn_deg = min(float(np.degrees(turn)), 180.0)
        return Doubt(focal=min(wider * share, 10.0), turn_deg=turn_deg, said=words, readings=len(words) > len(weak))

    return doubt(max(spread, apart), said + weak), doubt(spread, weak)


def solved(
    known: SurveyInput, edges: list[Edge], bent: bool, focal: float, asked: bool = False
) -> tuple[SurveyResult, bool]:
    """Camera, with the lens's bending solved where the edges show that there is some. ``asked``: see `solve`."""
    given = known.model_copy(update={"edges": edges, "edge_sigma_px": FOUND_SIGMA, "horizon": None})
    if known.focal_px is None:
        # hardly a prior: it keeps the first rounds from running off
        given = given.model_copy(update={"focal_px": FocalPrior(value=focal, sigma=focal)})
    plain = given.model_copy(update={"lengths": [], "datum": None, "camera_height_m": None})
    if not isinstance(known.distortion, str):
        return solve(plain, asked), False
    free = solve(plain.model_copy(update={"distortion": "solve"}), asked)
    k1, s1 = free.camera.distortion[0], (free.sigma.distortion or (1.0,))[0]
    if known.distortion == "solve" or abs(k1) > 4 * s1:
        return free, True
    return solve(plain, asked), False


def tells(found: Found) -> bool:
    """Whether edges that were found tell more of a camera than what is assumed where there are none: a painting has
    straight lines too."""
    sigma, focal = found.result.sigma, found.result.camera.focal_px
    return (sigma.focal_px or 0.0) <= LENS_DOUBT * focal and sigma.rotation_deg <= TURNED_DEG


def taken(survey: Survey, found: Found) -> Survey:
    """A survey with the edges that were found in its photo, in place of those that were found before, as who takes
    them without looking at the other readings; what was drawn and typed stays."""
    drawn = [e for e in survey.edges if not e.found]
    # edges all found are better than the hand: what was drawn before keeps its own error for all
    sigma = survey.edge_sigma_px if drawn else FOUND_SIGMA
    stands_in = "lens" in found.result.stands_in
    return survey.model_copy(
        update={
            "edges": drawn + [e.model_copy(update={"id": f"found-{n}"}) for n, e in enumerate(found.edges, 1)],
            "edge_sigma_px": sigma,
            "distortion": "solve" if found.distortion and survey.distortion == "none" else survey.distortion,
            "doubt": found.doubt,
            "assumption": survey.assumption or (Assumption() if stands_in else None),
        }
    )
