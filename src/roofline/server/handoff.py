"""Routes of the Hand-off stage."""

from __future__ import annotations

import tempfile
import zipfile
from typing import Literal

from flask import Response, send_file

from roofline.errors import NotFound
from roofline.model.base import Model
from roofline.server.routes import Routes
from roofline.server.site import SHOT, Site
from roofline.server.state import JobState, job_state
from roofline.stages import handoff


class DeliveryOrder(Model):
    form: Literal[
        "png", "png16", "tiff", "exr", "mp4", "webm", "av1", "ffv1", "glb", "gltf", "obj", "usda", "zip", "ora"
    ]
    first: int | None = None
    last: int | None = None
    bend: bool = False  # frames and videos: as the home photo's lens draws
    alpha: bool = True  # frames: an alpha channel in every one
    depth: bool = False  # OpenEXR frames: the channel Z, metres
    apart: bool = False  # OpenEXR frames: a part that tells pieces apart
    proof: Literal[1, 2, 4] = 1  # frames and videos: at a half or a quarter of the size
    textures: Literal["faces", "photo"] = "faces"  # scenes: a picture for each face, or photos and plates as they are
    pictures: Literal["png", "png16", "exr"] = "png"  # scenes: what faces' pictures are kept in


def add_routes(site: Site, routes: Routes) -> None:
    desk = site.desk

    @routes.add("POST", SHOT + "/deliveries", body=DeliveryOrder, returns=JobState)
    def start_delivery(shot_id: str, body: DeliveryOrder) -> JobState:
        """Render frames or a video, or export a scene or package, as the next version."""
        return job_state(handoff.deliver(desk, shot_id, **body.model_dump()))

    @routes.add("GET", SHOT + "/deliveries/<delivery_id>/file", media="application/octet-stream")
    def delivery_file(shot_id: str, delivery_id: str) -> Response:
        """Download a delivery; several files come as one ZIP."""
        found = next((d for d in desk.store.deliveries(shot_id) if str(d.id) == delivery_id), None)
        if found is None:
            raise NotFound("There is no such delivery.")
        path = desk.store.folder / found.file
        if path.is_file():
            return send_file(path, as_attachment=True, download_name=path.name)
        if not path.is_dir():
            raise NotFound("The delivered files are no longer in the data folder.")
        # on the disk: frames of one delivery are more than memory holds; it is sent after this has returned
        packed = tempfile.TemporaryFile()  # noqa: SIM115
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
            for file in sorted(path.iterdir()):
                archive.write(file, file.name)
        packed.seek(0)
        name = f"{path.name}-{found.form}.zip"
        return send_file(packed, as_attachment=True, download_name=name, mimetype="application/zip")
