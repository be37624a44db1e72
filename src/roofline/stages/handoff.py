"""The Hand-off stage: deliveries as versions, made from the shot as it was when they were ordered."""

from __future__ import annotations

import shutil
from pathlib import Path
from threading import Lock
from typing import Any

from roofline.core.massing.solids import faces_of
from roofline.core.move.findings import told_of
from roofline.core.move.frame import proofed
from roofline.core.move.judging import Judge, checked
from roofline.core.move.path import moments
from roofline.formats import scenes
from roofline.formats.face_pictures import Depth
from roofline.formats.package import write_package
from roofline.model.shot import Shot
from roofline.stages.move import report_of
from roofline.stages.shots import fresh_id
from roofline.store.clearing import version_folder
from roofline.store.orders import Order
from roofline.work.again import layered_file
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell
from roofline.work.render import (
    FORMS,
    VIDEOS,
    Snapshot,
    frame_file,
    frames_of,
    render_frame,
    render_video,
    video_file,
)
from roofline.work.scene import Textures, gather

#: what is said of a proof, by the part that it is of the delivered size
PROOFS = {1: "", 2: "-half", 4: "-quarter"}
# one order makes its folder in the shot's while another, cancelled, takes the shot's away
_FOLDERS = Lock()


def deliver(
    desk: Desk,
    shot_id: str,
    form: str,
    first: int | None,
    last: int | None,
    bend: bool = False,
    alpha: bool = True,
    depth: bool = False,
    apart: bool = False,
    textures: Textures = "faces",
    pictures: Depth = "png",
    proof: int = 1,
) -> Job:
    """Order frames or a video, or a scene (glb, gltf, obj, usda), the set as layers (ora) or the shot
    package (zip), as the next version.

    ``bend``: as the home photo's lens draws; ``alpha``, ``depth``: channels that frames have; ``apart``: whether
    they tell pieces apart; ``textures``,
    ``pictures``: what lies on a scene's faces, see `roofline.work.scene.gather`; ``proof``: 2 or 4 for frames at a half
    or a quarter of their size, which changes nothing of the shot. Raises FormatError for what the form
    cannot have.
    """
    if form in FORMS:
        Snapshot(desk.store.load(shot_id), desk.store.blobs.read, form, bend, alpha, depth, apart, desk.engines)
        how = {"first": first, "last": last, "bend": bend, "alpha": alpha, "depth": depth, "apart": apart}
        how["proof"] = proof
        return desk.order(shot_id, "deliver", f"Render {form}", form=form, **how)
    if form != "ora":
        scenes.can_hold(Path(f"scene.{form}"), pictures)
    return desk.order(shot_id, "export", f"Export {form}", form=form, textures=textures, pictures=pictures)


def _folder(desk: Desk, order: Order) -> Path:
    assert order.version is not None
    return desk.store.folder / "deliveries" / order.shot / version_folder(order.version)


def _name(shot: Shot, order: Order) -> str:
    assert order.version is not None
    return f"{fresh_id(shot.name, [])}-{version_folder(order.version)}"


def undone(desk: Desk, order: Order) -> None:
    """Take away what an order that came to nothing has written."""
    if order.version is not None:
        folder = _folder(desk, order)
        with _FOLDERS:
            shutil.rmtree(folder, ignore_errors=True)
            if folder.parent.is_dir() and not any(folder.parent.iterdir()):
                folder.parent.rmdir()


def render(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out an order of frames or a video, or go on with it: frames that are written stay."""
    proof, form = order.body.get("proof", 1), order.body["form"]
    shot = proofed(desk.orders.snapshot(order.id), proof)
    frames = frames_of(shot, order.body["first"], order.body["last"])
    # orders of before have not all of it
    alpha, depth, apart = (order.body.get(name, name == "alpha") for name in ("alpha", "depth", "apart"))
    snapshot = Snapshot(shot, desk.store.blobs.read, form, order.body["bend"], alpha, depth, apart, desk.engines)
    folder, name = _folder(desk, order), _name(shot, order) + PROOFS[proof]
    with _FOLDERS:
        desk.store.there.check()  # a data folder that has gone away is not begun anew in its place
        folder.mkdir(parents=True, exist_ok=True)
    tell(0.0, "getting the plates ready")

    def told(done: int) -> None:
        tell(done / len(frames), f"frame {done} of {len(frames)}")

    if form in VIDEOS:
        file = folder / video_file(name, form)
        render_video(snapshot, frames, file, told)
        return _keep(desk, order, form + PROOFS[proof], [file.name], len(frames), _judged(desk, order, frames))
    written = desk.orders.frames(order.id)
    files = [frame_file(name, frame, form) for frame in frames]
    for done, (frame, out) in enumerate(zip(frames, files, strict=True), 1):
        if written.get(frame) != out or not (folder / out).is_file():
            render_frame(snapshot, frame, folder / out)
            desk.orders.frame_written(order.id, frame, out)
        told(done)
    return _keep(desk, order, form + PROOFS[proof], files, len(frames), _judged(desk, order, frames))


def _judged(desk: Desk, order: Order, frames: list[int]) -> str:
    """Whether the frames of a delivery hold: by the check of this very move, or by one that is made now. Nothing leaves
    unjudged."""
    shot = desk.orders.snapshot(order.id)
    report = report_of(desk, shot)
    if report is None or report.open:
        report = checked(Judge(desk.engine(shot), shot.limits), moments(shot, frames[0], frames[-1]))
    delivered = set(frames)
    return told_of(shot, [f for f in report.frames if f.frame in delivered])


def export(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out an order of a scene or a package. Broken off, it is begun anew."""
    shot, form = desk.orders.snapshot(order.id), order.body["form"]
    folder, name, says = _folder(desk, order), _name(shot, order), ""
    with _FOLDERS:
        desk.store.there.check()
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
    out = folder / f"{name}.{form}"
    if form == "zip":
        tell(0.1, "packing")
        write_package(shot, desk.store.blobs.read, out)
        files = [out.name]
    elif form == "ora":
        tell(0.1, "making the layers")
        out.write_bytes(layered_file(shot, desk.engines))
        files = [out.name]
    else:
        tell(0.05, "looking at what the frames show")
        how = order.body.get("textures", "faces"), order.body.get("pictures", "png")
        scene = gather(
            shot,
            desk.engine(shot),
            moments(shot),
            desk.store.blobs.read,
            *how,
            lambda share: tell(0.1 + 0.8 * share, "making each face's picture"),
        )
        tell(0.95, "writing the file")
        files = [path.name for path in scenes.write_scene(scene, out)]
        says = _hides(shot)
    tell(0.99, "keeping the version")
    return _keep(desk, order, form, files, shot.delivery.frames, says)


def _hides(shot: Shot) -> str:
    """Which flats a scene cannot draw before their ground, in a sentence; empty where there are none."""
    names = [s.name for s in shot.set_pieces if "below" in faces_of(s).passes]
    return f"In this scene the ground hides part of {', '.join(names[:4])}." if names else ""


def _keep(desk: Desk, order: Order, form: str, files: list[str], frames: int, says: str = "") -> dict[str, Any]:
    """Write the delivery down, in one with the end of its order."""
    result = {"version": order.version, "form": form} | ({"says": says} if says else {})
    folder = _folder(desk, order)
    file = folder / files[0] if len(files) == 1 else folder
    desk.orders.delivered(order, form, str(file.relative_to(desk.store.folder)), frames, result, says)
    return result


def telling(desk: Desk, shot_id: str, revision: int) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong."""
    deliveries = desk.store.deliveries(shot_id)
    if not deliveries:
        return "nothing delivered", None
    newest = deliveries[0]
    return f"v{newest.version:03d} delivered", None if newest.revision == revision else "changed since"
