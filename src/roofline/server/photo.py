"""Routes of the Photo stage."""

from __future__ import annotations

from typing import Any

from flask import Response

from roofline.model.handoff import Delivery
from roofline.server.routes import Routes, Width
from roofline.server.site import SHOT, Site, uploaded
from roofline.server.state import ShotState
from roofline.stages import photo


def add_routes(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states

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

    @routes.add("PUT", SHOT + "/delivery", body=Delivery, returns=ShotState)
    def set_delivery(shot_id: str, body: Delivery) -> ShotState:
        """State what is delivered."""
        photo.set_delivery(desk, shot_id, body)
        return states.changed(shot_id)

    @routes.add("PATCH", SHOT + "/delivery", body=dict[str, Any], returns=ShotState)
    def change_delivery(shot_id: str, body: dict[str, Any]) -> ShotState:
        """State what is given of what is delivered."""
        photo.change_delivery(desk, shot_id, body)
        return states.changed(shot_id)
