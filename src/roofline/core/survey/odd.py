"""A second run found: façades that stand oddly, among the straight lines that a reading of a picture leaves over."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, straighten_pixels
from roofline.core.survey.lines import laid
from roofline.core.survey.second import along
from roofline.core.survey.solve import solve
from roofline.core.survey.starts import aslant
from roofline.errors import SurveyError
from roofline.model.base import FAMILIES
from roofline.model.survey import Edge, FocalPrior, SurveyInput, SurveyResult

NEAR = np.radians(0.7)  # a line that runs so near a direction may be of it
APART = np.radians(5.0)  # a second run that lies nearer to run or return is one of these, drawn badly
LEAST, SHARE = 5, 0.2  # lines of a second run, and their part of the length that is left over
STEP = np.radians(0.25)


def angle_left(lines: Array, result: SurveyResult) -> tuple[float, NDArray[np.bool_]] | None:
    """The level direction that most of the straightened lines (N, 2, 2) run along which no other explains.

    Its angle in radians from run, and which lines (N,) are of it; None where too few agree to be more than chance.
    A line that runs along the horizon runs along every level direction, and tells none.
    """
    c = result.camera
    k = np.array([[c.focal_px, 0, c.principal_point[0]], [0, c.focal_px, c.principal_point[1]], [0, 0, 1.0]])
    to_pixel = k @ np.array(c.rotation)
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
    taken = aslant(np.array([result.vanishing_points[f] for f in FAMILIES]), lines).min(0) < 2.5 * np.sin(NEAR)
    quarter = np.pi / 2
    angles = np.arange(-quarter, quarter, STEP)
    apart = np.minimum(np.abs(angles), quarter - np.abs(angles)) > APART
    angles = angles[apart]
    agree = (aslant(np.array([to_pixel @ along(a) for a in angles]), lines) < np.sin(NEAR)) & ~taken
    score = (agree * length).sum(1)
    best = int(np.argmax(score))
    mine = agree[best]
    if mine.sum() < LEAST or score[best] < SHARE * length[~taken].sum():
        return None
    return float(angles[best]), mine


def with_second(
    grey: NDArray[np.uint8], lines: Array, edges: list[Edge], result: SurveyResult, points: int, sigma: float
) -> tuple[list[Edge], SurveyResult]:
    """Edges found and what they gave, with those of a second run besides, where the picture shows one.

    The camera stays as it was found: what was left over is not to decide what it is held against.
    """
    straight = straighten_pixels(lines, result.camera) if any(result.camera.distortion) else lines
    found = angle_left(straight, result)
    if found is None:
        return edges, result
    more = laid(grey, lines[found[1]], "second", points)
    lens = result.camera
    given = SurveyInput(
        width=lens.width,
        height=lens.height,
        edges=edges + more,
        focal_px=FocalPrior(value=lens.focal_px, sigma=0.0),
        principal_point=lens.principal_point,
        distortion=lens.distortion,
        edge_sigma_px=sigma,
    )
    try:
        solved = solve(given, asked=False)
    except SurveyError:
        return edges, result
    reports = solved.edges[len(edges) :]
    kept = [n for n, r in enumerate(reports) if r.weight > 0.5]
    if len(kept) < LEAST or solved.second_run is None:
        return edges, result
    # what the camera that it was held against is not sure of is added: a focal length off by a part turns it by half
    own, focal = solved.second_run.sigma_deg, np.degrees(0.5 * (result.sigma.focal_px or 0.0) / lens.focal_px)
    sigma_deg = float(np.sqrt(own**2 + result.sigma.rotation_deg**2 + focal**2))
    added = {
        "edges": result.edges + [reports[n] for n in kept],
        "second_run": solved.second_run.model_copy(update={"sigma_deg": sigma_deg}),
        "vanishing_points": {**result.vanishing_points, "second": solved.vanishing_points["second"]},
    }
    return edges + [more[n] for n in kept], result.model_copy(update=added)
