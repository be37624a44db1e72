"""A second run: the level direction of façades that stand at an odd angle to the rest of a place."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import Array
from roofline.core.survey.edges import EdgeSet, fitted_lines
from roofline.core.survey.state import Lens

SECOND = 3  # its number among an edge's families


def along(heading: float) -> Array:
    """The level direction (3,) at an angle in radians from run, away from the viewer."""
    return np.array([np.cos(heading), 0.0, -np.sin(heading)])


def heading_of(edges: EdgeSet, lens: Lens, rotation: Array) -> float:
    """The angle that the second run's edges agree on for a camera, in radians within ±π/2.

    Each edge and the standpoint span a plane; the direction is the level one that is most nearly in all of them: the
    smallest eigenvector of their normals' level parts, weighed by the edges' lengths.
    """
    middle, direction, length = fitted_lines(edges, edges.straightened(lens.focal, lens.centre, lens.bend))
    mine = edges.family == SECOND
    x = (middle[mine] - lens.centre) / lens.focal
    normal = np.cross(np.c_[x, np.ones(len(x))], np.c_[direction[mine], np.zeros(len(x))])
    level = (normal / np.linalg.norm(normal, axis=1, keepdims=True) @ rotation)[:, [0, 2]] * length[mine, None]
    cos, back = np.linalg.eigh(level.T @ level)[1][:, 0]
    return folded(float(np.arctan2(-back, cos)))


def folded(heading: float) -> float:
    """The same direction's angle within ±π/2."""
    return (heading + np.pi / 2) % np.pi - np.pi / 2
