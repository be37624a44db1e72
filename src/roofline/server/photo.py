"""Routes of the Photo stage."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from roofline.model.base import Model
from roofline.model.handoff import Delivery, DeliveryChange
from roofline.model.photo import FilmBack
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site, all_uploaded, uploaded
from roofline.server.state import JobState, ShotState, job_state
from roofline.stages import beginning, photo
from roofline.work.begin import How, Spread

Lens = Annotated[float, Field(gt=3, lt=3000)]  # 35 mm equivalent, over the diagonal
Eye = Annotated[float, Field(gt=0, lt=10_000)]  # metres above the ground
Metres = Annotated[float, Field(gt=0, lt=1e7)]


class BackStated(Model):
    """Width and height of a film back in millimetres."""

    film_back_mm: FilmBack | None


def add_routes(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states
    _beginnings(site, routes)

    @routes.add("POST", SHOT + "/photos", returns=ShotState, files=True)
    def bring_photo(shot_id: str) -> ShotState:
        """Bring a photo (JPEG, PNG, TIFF, OpenEXR, WebP, AVIF)."""
        photo.bring(desk, shot_id, *uploaded())
        return states.changed(shot_id)

    @routes.add("DELETE", SHOT + "/photos/<photo_id>", returns=ShotState)
    def remove_photo(shot_id: str, photo_id: str) -> ShotState:
        """Remove a photo and its plates."""
        photo.remove(desk, shot_id, photo_id)
        return states.changed(shot_id)

    @routes.add(
        "GET", SHOT + "/photos/<photo_id>/picture", media="image/jpeg", query={"width": Width, "straight": bool}
    )
    def photo_picture(shot_id: str, photo_id: str, width: int = 2048, straight: bool = False) -> Response:
        """The photo for the screen."""
        return Response(
            photo.proxy(desk, shot_id, photo_id, width, straight),
            mimetype="image/jpeg",
            headers={"Cache-Control": "private, max-age=60"},
        )

    @routes.add("PUT", SHOT + "/delivery", body=Delivery, returns=ShotState, query={"revision": int})
    def set_delivery(shot_id: str, body: Delivery, revision: int) -> ShotState:
        """State what is delivered; `revision`: of the shot that this was made from."""
        photo.set_delivery(desk, shot_id, body, revision)
        return states.changed(shot_id)

    @routes.add("PUT", SHOT + "/photos/<photo_id>/film-back", body=BackStated, returns=ShotState)
    def set_film_back(shot_id: str, photo_id: str, body: BackStated) -> ShotState:
        """Say how large the film back was that took a photo; null: not known."""
        photo.set_film_back(desk, shot_id, photo_id, body.film_back_mm)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/delivery", body=DeliveryChange, returns=ShotState)
    def change_delivery(shot_id: str, body: DeliveryChange) -> ShotState:
        """State what is given of what is delivered; another size is the same frame, finer or coarser."""
        photo.change_delivery(desk, shot_id, body)
        return states.changed(shot_id)


def _beginnings(site: Site, routes: Routes) -> None:
    desk = site.desk

    @routes.add(
        "POST",
        SHOT + "/begin",
        returns=JobState,
        files=True,
        query={"lens": Lens, "eye": Eye, "near": Metres, "far": Metres, "spread": Spread, "stated": bool},
    )
    def begin_shot(
        shot_id: str,
        lens: float | None = None,
        eye: float = 1.6,
        near: float = 4.0,
        far: float = 40.0,
        spread: Spread = "parallax",
        stated: bool = True,
    ) -> JobState:
        """Begin from pictures: one, one layered file, or several with alpha, first the nearest.

        `stated`: at the size that the shot states; else at one that the pictures bear.
        """
        how = How(lens_mm35=lens, eye_m=eye, near_m=near, far_m=far, spread=spread)
        return job_state(beginning.order_begin(desk, shot_id, all_uploaded(), how, stated))

    @routes.add("POST", SHOT + "/layers", returns=JobState, files=True)
    def put_layers_in_again(shot_id: str) -> JobState:
        """Put layers in again from a newer file, or several, told apart by name; what was done to them stays."""
        return job_state(beginning.order_again(desk, shot_id, all_uploaded()))

    @routes.add("POST", SHOT + "/assume", returns=JobState)
    def assume_scale(shot_id: str) -> JobState:
        """A camera and a scale to build by: what the photo does not tell is assumed, the eye 1.6 m above the ground."""
        return job_state(beginning.order_assume(desk, shot_id))

    @routes.add("POST", SHOT + "/first-move", returns=JobState)
    def make_first_move(shot_id: str) -> JobState:
        """A set that is whole from home, room around the frame, and a push-in that just holds."""
        return job_state(beginning.order_first_move(desk, shot_id))
