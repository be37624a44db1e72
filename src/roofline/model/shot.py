"""The shot: all of it, as one document.

JSON Schema (docs/schema) and the front end's TypeScript types are generated from here. The same models are the
`shot.json` of a shot package (docs/formats.md); fields beyond the exchange format are optional there."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import model_validator

from roofline.model.base import Model, Name
from roofline.model.handoff import Delivery, Framing
from roofline.model.massing import KINDS, Motion
from roofline.model.move import Limits, Move
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.solids import AnySolid
from roofline.model.survey import Tie


def _rebuilt(solid: dict[str, Any]) -> bool:
    """Whether a solid says enough of itself to be rebuilt from its own measures rather than from vertices and faces."""
    kind = KINDS.get(str(solid.get("kind")))
    return kind is not None and kind.own <= solid.keys()


def _no_circle(plates: list[Plate]) -> None:
    """Raise ValueError for plates that are made of one another."""
    made_of = {p.id: p.refers_to() for p in plates if p.steps}
    done: set[str] = set()

    def look(ident: str, way: tuple[str, ...]) -> None:
        if ident in way:
            raise ValueError(f"the plate '{ident}' would be made of itself")
        if ident not in done:
            for other in made_of.get(ident, ()):
                look(other, (*way, ident))
            done.add(ident)

    for ident in made_of:
        look(ident, ())


class GroupMotion(Model):
    """How the pieces of a group move together, over what each does by itself; where it fades, its flats do."""

    name: Name
    motion: Motion


class Shot(Model):
    format: Literal["roof-line-shot"] = "roof-line-shot"
    version: Literal[1] = 1
    name: Name
    delivery: Delivery = Delivery()
    photos: list[Photo] = []
    ties: list[Tie] = []
    solids: list[AnySolid] = []
    plates: list[Plate] = []
    throws: list[Throw] = []
    move: Move = Move()
    limits: Limits = Limits()
    groups: list[GroupMotion] = []

    @model_validator(mode="before")
    @classmethod
    def _bare_meshes(cls, data: Any) -> Any:
        """A solid of any kind that comes with vertices and faces only is read as a mesh (flats stay cut-outs)."""
        if isinstance(data, dict) and isinstance(data.get("solids"), list):
            data = dict(data)
            data["solids"] = [
                {**s, "kind": "mesh", "cutout": s.get("kind") == "flat"}
                if isinstance(s, dict) and {"vertices", "faces"} <= s.keys() and not _rebuilt(s)
                else s
                for s in data["solids"]
            ]
        return data

    @model_validator(mode="after")
    def _consistent(self) -> Shot:
        for what, items in (
            ("photos", self.photos),
            ("ties", self.ties),
            ("solids", self.solids),
            ("plates", self.plates),
        ):
            ids = [item.id for item in items]
            if len(set(ids)) != len(ids):
                double = next(i for i in ids if ids.count(i) > 1)
                raise ValueError(f"two {what} have the id '{double}'")
        photos = {p.id for p in self.photos}
        plates = {p.id for p in self.plates}
        for plate in self.plates:
            if plate.photo not in photos:
                raise ValueError(f"plate '{plate.id}' names the photo '{plate.photo}', which is not there")
        for photo in self.photos:
            if photo.steady_px is not None and photo.standpoint not in photos:
                raise ValueError(f"photo '{photo.id}' has the camera of '{photo.standpoint}', which is not there")
        _no_circle(self.plates)
        for throw in self.throws:
            if throw.plate not in plates:
                raise ValueError(f"a throw names the plate '{throw.plate}', which is not there")
        first, _ = self.frame_range
        for key in self.move.keys:
            if key.focal_px is not None:
                key.zoom, key.focal_px = key.focal_px / self.home_px, None
            if key.frame < first:
                raise ValueError(f"a key stands on frame {key.frame}, before the shot's first frame, {first}")
        return self

    @property
    def frame_range(self) -> tuple[int, int]:
        """First and last frame. Unless stated, frames count from 1; from 0 when a key stands on frame 0."""
        first = self.delivery.first_frame
        if first is None:
            first = 0 if any(key.frame == 0 for key in self.move.keys) else 1
        return first, first + self.delivery.frames - 1

    @property
    def set_pieces(self) -> list[AnySolid]:
        """The pieces that are in the set: seen, judged, delivered."""
        return [s for s in self.solids if s.in_set]

    @property
    def home_photo(self) -> Photo | None:
        """The photo whose camera is home: the first one surveyed."""
        return next((p for p in self.photos if p.camera is not None), None)

    @property
    def framing(self) -> Framing | None:
        """The delivered frame over the home photo, as set; else the largest that fits it, about its principal point.

        None without a home photo.
        """
        photo = self.home_photo
        if self.delivery.framing is not None or photo is None or photo.camera is None:
            return self.delivery.framing
        camera = photo.camera
        scale = min(camera.width / self.delivery.width, camera.height / self.delivery.height)
        return Framing(scale=scale, centre=camera.principal_point)

    @property
    def home_px(self) -> float:
        """Home's focal length in delivered pixels, by which keys' zooms are told; the delivered height where no photo
        is home, which makes a zoom an angle."""
        photo, framing = self.home_photo, self.framing
        if photo is None or photo.camera is None or framing is None:
            return float(self.delivery.height)
        return photo.camera.focal_px / framing.scale

    def photo(self, photo_id: str) -> Photo:
        """The photo with this id; raises KeyError."""
        for photo in self.photos:
            if photo.id == photo_id:
                return photo
        raise KeyError(photo_id)

    def plate(self, plate_id: str) -> Plate:
        """The plate with this id; raises KeyError."""
        for plate in self.plates:
            if plate.id == plate_id:
                return plate
        raise KeyError(plate_id)
