"""Photographs, and what their files say of themselves."""

from __future__ import annotations

from pydantic import model_validator

from roofline.model.base import Id, Model, Name, PixelCount
from roofline.model.survey import Camera, Survey, SurveyResult


class PhotoFacts(Model):
    """What the file says of itself (EXIF), and how it was read."""

    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken_with: str | None = None
    bits: int = 8
    colour: str | None = None  # the profile or primaries that were brought to ours
    notes: list[str] = []  # what else was found in the file, as sentences


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
    steady_px: float | None = None  # nothing moved between the two, to so many pixels; None: the camera was turned

    @model_validator(mode="after")
    def _size(self) -> Photo:
        if self.camera is not None:
            if self.width is None:
                object.__setattr__(self, "width", self.camera.width)
                object.__setattr__(self, "height", self.camera.height)
            elif (self.width, self.height) != (self.camera.width, self.camera.height):
                raise ValueError(f"photo '{self.id}' and its camera differ in size")
        return self
