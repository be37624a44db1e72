"""All that the compiled loops are given for one view, and how parallel loops are handed it."""

from __future__ import annotations

from typing import Any, NamedTuple

from roofline.core.throw.lent import reader_of


class Cast(NamedTuple):
    """Everything a pixel's story needs, for one view. Q pieces with V corners, F faces, N pairs, P plates.

    What the inner loops read at every step is flat: its places are then known without multiplying by shapes.
    """

    depths: Any  # these six: see `Projection`
    edges: Any
    lines: Any
    piece_boxes: Any
    maps: Any
    boxes: Any
    faces: Any  # how many there are: F, Q, V, N, and where the UNSAID block is
    pieces: Any
    corners: Any
    pairs: Any
    nowhere: Any
    unit: Any  # delivered pixels along one pixel of the view
    limits: Any  # (F × 2) stretch, magnification
    pair_start: Any  # (F + 1,)
    pair_plate: Any  # (N,)
    pair_face: Any  # (N,)
    pair_front: Any  # (N,) 0 or 1: the face's front is towards the plate's camera
    pair_occlusion: Any  # (N,)
    pair_depth: Any  # (N × 3) linear form: inverse depth of the face in the plate's raster
    first: Any  # (Q + 1,) see `Pieces`
    piece_face: Any  # (Q,)
    cutout: Any  # (F,)
    canvas: Any  # (P × 6)
    matte: Any
    matte_at: Any  # (P,)
    blocks: Any  # see `mattes`
    block_at: Any  # (P,)
    cells: Any  # what the plates see (see cells.py), one plate's grid after another's
    cell_start: Any  # (P,)
    cell_width: Any  # (P,) cells in a row
    lists: Any  # pieces that show in mixed cells
    list_at: Any  # (P,)
    raster_size: Any  # (P × 2) width, height
    scale: Any  # (P × 2) raster pixels per picture pixel
    plate_edges: Any  # (P × V × 3) the edges in the plates' rasters
    plate_depths: Any  # (P × F × 3)
    plate_maps: Any  # (P × N × 9) raster pixel → picture pixel


open_cast = reader_of(
    Cast,
    depths="f8",
    edges="f8",
    lines="f8",
    piece_boxes="i4",
    maps="f8",
    boxes="f8",
    faces="whole",
    pieces="whole",
    corners="whole",
    pairs="whole",
    nowhere="whole",
    unit="real",
    limits="f8",
    pair_start="i8",
    pair_plate="i4",
    pair_face="i4",
    pair_front="u1",
    pair_occlusion="u1",
    pair_depth="f8",
    first="i8",
    piece_face="i4",
    cutout="u1",
    canvas="f8",
    matte="f4",
    matte_at="i8",
    blocks="u1",
    block_at="i8",
    cells="i4",
    cell_start="i8",
    cell_width="i8",
    lists="i4",
    list_at="i8",
    raster_size="i8",
    scale="f8",
    plate_edges="f8",
    plate_depths="f8",
    plate_maps="f8",
)
