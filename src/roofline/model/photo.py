"""Photographs, and what their files say of themselves."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import Field, model_validator

from roofline.model.base import Id, Model, Name, PixelCount
from roofline.model.survey import Camera, Survey, SurveyResult

SMALLEST_MM, LARGEST_MM = 1.0, 500.0  # of a side of a film back
FilmSide = Annotated[float, Field(ge=SMALLEST_MM, le=LARGEST_MM)]
FilmBack = tuple[FilmSide, FilmSide]


class PhotoFacts(Model):
    """What the file says of itself (EXIF), and how it was read."""

    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken_with: str | None = None
    bits: int = 8
    colour: str | None = None  # the profile or primaries that were brought to ours
    notes: list[str] = []  # what else was found in the file, as sentences


DIAGONAL_35 = math.hypot(36.0, 24.0)  # mm, by which 35 mm equivalents are reckoned (CIPA DCG-001)
WIDE_MM = 36.0  # of a film back, where nothing is known of it


def film_back_of(facts: PhotoFacts, width: int, height: int) -> FilmBack | None:
    """The film back that a file's two focal lengths tell, at the picture's own aspect, to a hundredth of a millimetre.

    None where it has not both.
    """
    if not facts.focal_mm or not facts.focal_35mm:
        return None
    mm = DIAGONAL_35 * facts.focal_mm / facts.focal_35mm / math.hypot(width, height)
    back = round(width * mm, 2), round(height * mm, 2)
    return back if all(SMALLEST_MM <= side <= LARGEST_MM for side in back) else None


class Photo(Model):
    id: Id
    name: Name
    file: str
    width: PixelCount | None = None
    height: PixelCount | None = None
    facts: PhotoFacts = PhotoFacts()
    survey: Survey = Survey()
    result: SurveyResult | None = None
    problem: str | None = None
    camera: Camera | None = None
    lens: Name | None = None  # photos that name the same lens share focal length, principal point and distortion
    assumed: list[str] = []  # what the camera rests on that is not measured, as sentences
    standpoint: Id | None = None  # the photo from whose standpoint (a tripod's) this one was taken as well
    film_back_mm: FilmBack | None = None  # width and height; none: 36 mm wide
    steady_px: float | None = None  # nothing moved between the two, to so many pixels; None: the camera was turned

    @property
    def mm_a_pixel(self) -> float:
        """Millimetres of film back that a photo pixel takes. A photo of another aspect is the largest part of the back
        that it can be; a back is turned as the photo is."""
        width, height = self.width or 1, self.height or 1
        if self.film_back_mm is None:
            return WIDE_MM / width
        wide, tall = self.film_back_mm
        if (wide < tall) != (width < height):
            wide, tall = tall, wide
        return min(wide / width, tall / height)

    @model_validator(mode="after")
    def _size(self) -> Photo:
        if self.camera is not None:
            if self.width is None:
                object.__setattr__(self, "width", self.camera.width)
                object.__setattr__(self, "height", self.camera.height)
            elif (self.width, self.height) != (self.camera.width, self.camera.height):
                raise ValueError(f"photo '{self.id}' and its camera differ in size")
        return self
