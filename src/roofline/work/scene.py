"""Gathering what a scene file holds: the faces with their pictures, the camera at every frame."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import Array, view_of
from roofline.core.handoff.facing import Tile, tiles_of
from roofline.core.handoff.unwrap import unwrap
from roofline.core.moment import Moment
from roofline.core.throw.engine import Engine
from roofline.core.throw.squared import Squared
from roofline.errors import FormatError
from roofline.formats import pictures
from roofline.formats.face_pictures import SUFFIX, Depth, encoded, spread
from roofline.formats.plates import is_photo, whole_photo
from roofline.formats.scenes.scene import Alpha, Image, Piece, SceneOut, Surface
from roofline.model.plates import Plate
from roofline.model.shot import Shot

Textures = Literal["faces", "photo"]
APART = 64  # faces: a piece with more has their pictures on common sheets
SHEET = 4096  # pixels of a sheet's side
SOLID, CLEAR = 0.998, 0.002
Told = Callable[[float], None]


@dataclass
class _Painted:
    """A tile's picture, linear with straight alpha, and what that alpha means."""

    tile: Tile
    pixels: NDArray[np.float32]  # (H, W, 4)
    alpha: Alpha
    bare: bool  # nothing reaches it anywhere


def texels_within(tile: Tile) -> NDArray[np.bool_]:
    """Which texels' middles lie on a tile; all, where it is too thin to hold any."""
    grid = tile.grid
    corners = grid.place(tile.corners)
    out = np.zeros((grid.size[1], grid.size[0]), dtype=bool)
    for triangle in corners[tile.triangles]:
        x0, y0 = np.maximum(np.floor(triangle.min(0) - 0.5), 0).astype(int)
        x1, y1 = np.ceil(triangle.max(0) + 0.5).astype(int)
        y, x = np.mgrid[y0 : min(y1, grid.size[1]), x0 : min(x1, grid.size[0])] + 0.5
        inside = np.ones(x.shape, dtype=bool)
        for a, b in zip(triangle, np.roll(triangle, -1, axis=0), strict=True):
            inside &= (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]) <= 1e-9  # y runs downwards
        out[y0 : y0 + x.shape[0], x0 : x0 + x.shape[1]] |= inside
    return out if out.any() else np.ones_like(out)


def _painted(squared: Squared, tile: Tile) -> _Painted:
    asked = texels_within(tile)
    picture = squared.picture(tile.face, tile.plane, tile.grid, asked)
    cover = picture[..., 3]
    there = asked & (cover > CLEAR)
    kind: Alpha = "opaque"
    if (cover[asked] < SOLID).any():
        soft = (cover[asked] > CLEAR) & (cover[asked] < SOLID)
        kind = "blend" if soft.any() else "mask"
    straight = picture.copy()
    straight[..., :3] /= np.maximum(cover, 1e-6)[..., None]
    straight[..., :3] = spread(straight[..., :3], there)
    straight[..., 3:] = spread(np.ascontiguousarray(cover[..., None]), asked)
    return _Painted(tile, straight, kind, not there.any())


def _place_of(painted: _Painted) -> tuple[Array, Array]:
    """Continuous texels (V, 2) of a tile's corners, and its picture's size (2,)."""
    grid = painted.tile.grid
    return grid.place(painted.tile.corners), np.array(grid.size, dtype=float)


def _image(name: str, pixels: NDArray[np.float32], alpha: Alpha, depth: Depth) -> Image:
    return Image(name, encoded(pixels, alpha != "opaque", depth), SUFFIX[depth], alpha, depth != "exr")


def _sheets(painted: list[_Painted]) -> list[list[tuple[_Painted, int, int]]]:
    """Pictures set on shelves: for each sheet its pictures with their upper left corners."""
    sheets: list[list[tuple[_Painted, int, int]]] = [[]]
    x = y = shelf = 0
    area = sum(p.pixels.shape[0] * p.pixels.shape[1] for p in painted)
    side = int(np.clip(1.1 * np.sqrt(area) + 1, max(p.pixels.shape[1] for p in painted), SHEET))
    for p in sorted(painted, key=lambda p: -p.pixels.shape[0]):
        tall, wide = p.pixels.shape[:2]
        if x + wide > side:
            x, y, shelf = 0, y + shelf, 0
        if y + tall > SHEET and sheets[-1]:
            sheets.append([])
            x = y = shelf = 0
        sheets[-1].append((p, x, y))
        x, shelf = x + wide, max(shelf, tall)
    return sheets


class _Gathering:
    """Pieces in the making."""

    def __init__(self, shot: Shot, engine: Engine, depth: Depth):
        self.shot, self.engine, self.depth = shot, engine, depth
        self.images: dict[str, Image] = {}
        solids = {s.id: s for s in shot.solids}
        self.pieces = {
            i: Piece(i, solids[i].name, solids[i].group, solids[i].hidden) for i in engine.geometry.solid_ids
        }

    def name_of(self, face: int) -> str:
        """Piece and face, as the stages name them."""
        solid = self.engine.geometry.solid_ids[self.engine.geometry.solid[face]]
        return f"{self.pieces[solid].name} / {self.engine.geometry.names[face].removeprefix(solid + '/')}"

    def surface(self, tile: Tile, name: str, uv: Array | None, image: str | None) -> None:
        g = self.engine.geometry
        points = tile.plane.world(tile.corners)
        made = Surface(name, points, tile.triangles, g.normals[tile.face], uv, image)
        self.pieces[g.solid_ids[g.solid[tile.face]]].surfaces.append(made)

    def apart(self, tiles: list[Tile], squared: Squared) -> None:
        """A picture of its own for every tile."""
        counts: Counter[int] = Counter()
        several = {face for face, parts in Counter(t.face for t in tiles).items() if parts > 1}
        for tile in tiles:
            p = _painted(squared, tile)
            counts[tile.face] += 1
            name = self.name_of(tile.face) + (f" {counts[tile.face]}" if tile.face in several else "")
            if p.bare:
                self.surface(tile, name, None, None)
                continue
            key = f"{self.engine.geometry.names[tile.face]}#{counts[tile.face]}"
            self.images[key] = _image(name, p.pixels, p.alpha, self.depth)
            at, size = _place_of(p)
            self.surface(tile, name, at / size, key)

    def on_sheets(self, tiles: list[Tile], squared: Squared) -> None:
        """The pictures of a piece of many faces, on as few sheets as hold them; those alike in alpha together."""
        everything = [_painted(squared, t) for t in tiles]
        for p in (p for p in everything if p.bare):
            self.surface(p.tile, self.name_of(p.tile.face), None, None)
        solid = self.engine.geometry.solid_ids[self.engine.geometry.solid[tiles[0].face]]
        kinds: tuple[Alpha, ...] = ("opaque", "mask", "blend")
        for kind in kinds:
            alike = [p for p in everything if p.alpha == kind and not p.bare]
            for number, sheet in enumerate(_sheets(alike) if alike else [], 1):
                width = max(x + p.pixels.shape[1] for p, x, _ in sheet)
                height = max(y + p.pixels.shape[0] for p, _, y in sheet)
                pixels = np.zeros((height, width, 4), dtype=np.float32)
                key = f"{solid}#{kind}{number}"
                for p, x, y in sheet:
                    pixels[y : y + p.pixels.shape[0], x : x + p.pixels.shape[1]] = p.pixels
                    uv = (_place_of(p)[0] + [x, y]) / [width, height]
                    self.surface(p.tile, self.name_of(p.tile.face), uv, key)
                name = f"{self.pieces[solid].name} / faces {kind} {number}"
                self.images[key] = _image(name, pixels, kind, self.depth)


def _from_faces(shot: Shot, engine: Engine, frames: list[Moment], depth: Depth, told: Told | None) -> _Gathering:
    made, squared = _Gathering(shot, engine, depth), Squared(engine)
    by_solid: dict[int, list[Tile]] = {}
    for tile in tiles_of(engine, frames):
        by_solid.setdefault(int(engine.geometry.solid[tile.face]), []).append(tile)
    total, done = sum(map(len, by_solid.values())), 0
    for tiles in by_solid.values():
        many = len({t.face for t in tiles}) > APART
        (made.on_sheets if many else made.apart)(tiles, squared)
        done += len(tiles)
        if told:
            told(done / total)
    return made


def texture_of(shot: Shot, plate: Plate, read: Callable[[str], bytes], engine: Engine) -> Image:
    """A plate as a texture file: its own JPEG or PNG where possible, otherwise 8-bit PNG, with its matte as alpha."""
    photo = shot.photo(plate.photo)
    bent = is_photo(plate, photo) and photo.camera is not None and any(photo.camera.distortion)
    graded = any(t.plate == plate.id and t.look for t in shot.throws)
    if plate.file and plate.matte is None and not (bent or graded or plate.steps) and whole_photo(plate, photo):
        data = read(plate.file)
        if pictures.as_it_is(data) and pictures.opaque_size(data):
            return Image(plate.name, data, ".jpg" if data[:2] == b"\xff\xd8" else ".png", "opaque")
    picture = engine.throws.pictures[engine.throws.plates.index(plate.id)]
    eight = (pictures.to_display(picture.colour()) * 255 + 0.5).astype(np.uint8)
    if picture.matte is None:
        return Image(plate.name, pictures.png(eight), ".png", "opaque")
    alpha = (picture.matte * 255 + 0.5).astype(np.uint8)
    return Image(plate.name, pictures.png(np.dstack([eight, alpha])), ".png", "blend")


def _from_photos(shot: Shot, engine: Engine, read: Callable[[str], bytes]) -> _Gathering:
    """The plates as they are, on surfaces cut so finely that the picture stays in place to half a pixel."""
    made = _Gathering(shot, engine, "png")
    names = {p.id: p.name for p in shot.plates}
    for patch in unwrap(engine):
        if patch.stray > 0.5:
            name = made.pieces[patch.solid].name
            raise FormatError(
                f"On '{name}' a plate would lie {patch.stray:.1f} px off its place, however finely it is cut: "
                "export a picture for each face instead."
            )
        points, back = np.unique(np.dstack([patch.corners, patch.uv]).reshape(-1, 5), axis=0, return_inverse=True)
        label = f"{made.pieces[patch.solid].name} / {names[patch.plate] if patch.plate else 'bare'}"
        uv = points[:, 3:] if patch.plate else None
        made.pieces[patch.solid].surfaces.append(
            Surface(label, points[:, :3], back.reshape(-1, 3), None, uv, patch.plate)
        )
    used = {s.image for p in made.pieces.values() for s in p.surfaces}
    made.images = {p.id: texture_of(shot, p, read, engine) for p in shot.plates if p.id in used}
    return made


def gather(
    shot: Shot,
    engine: Engine,
    frames: list[Moment],
    read: Callable[[str], bytes],
    textures: Textures = "faces",
    depth: Depth = "png",
    told: Told | None = None,
) -> SceneOut:
    """All that a scene file of a shot holds.

    ``textures``: a picture of its own for each face, made by the engine, or the photos and plates as they are;
    ``depth``: of faces' pictures, 8 or 16 bit PNG or OpenEXR; ``told``: called with the share that is done.
    Raises FormatError where photos cannot be laid on a piece to half a pixel.
    """
    made = _from_photos(shot, engine, read) if textures == "photo" else _from_faces(shot, engine, frames, depth, told)
    cameras = {p.name: view_of(p.camera) for p in shot.photos if p.camera is not None}
    return SceneOut(shot, [p for p in made.pieces.values() if p.surfaces], made.images, frames, cameras)
