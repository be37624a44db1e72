"""Routes for what plates are made of: files, videos, tones, and where they lie."""

from __future__ import annotations

from roofline.model.plates import Video
from roofline.model.steps import Tone
from roofline.server.routes import Routes
from roofline.server.site import SHOT, Site, uploaded
from roofline.server.state import ShotState
from roofline.stages import sources
from roofline.stages.sources import ClipFacts, Placed


def add_routes(site: Site, routes: Routes) -> None:
    desk, states = site.desk, site.states
    plate = SHOT + "/plates/<plate_id>"

    @routes.add("POST", SHOT + "/plates/file", returns=ShotState, files=True, query={"photo": str})
    def plate_of_file(shot_id: str, photo: str = "") -> ShotState:
        """Make a plate of a picture or a video, in a photo's pixel grid."""
        name, data = uploaded()
        sources.make(desk, shot_id, photo, name, data)
        return states.changed(shot_id)

    @routes.add("GET", plate + "/video", returns=ClipFacts)
    def video_facts(shot_id: str, plate_id: str) -> ClipFacts:
        """What the video of a plate has."""
        return sources.clip_facts(desk, shot_id, plate_id)

    @routes.add("PUT", plate + "/video", body=Video, returns=ShotState)
    def run_video(shot_id: str, plate_id: str, body: Video) -> ShotState:
        """Say how a plate's video runs along the shot."""
        sources.run(desk, shot_id, plate_id, body)
        return states.changed(shot_id)

    @routes.add("PUT", plate + "/tone", body=Tone, returns=ShotState)
    def change_tone(shot_id: str, plate_id: str, body: Tone) -> ShotState:
        """Give a plate that is a tone another one."""
        sources.tone(desk, shot_id, plate_id, body)
        return states.changed(shot_id)

    @routes.add("PUT", plate + "/place", body=Placed, returns=ShotState)
    def place_plate(shot_id: str, plate_id: str, body: Placed) -> ShotState:
        """Lay a plate's source elsewhere in its photo, by a canvas or over a surface."""
        sources.place(desk, shot_id, plate_id, body)
        return states.changed(shot_id)

    @routes.add("POST", plate + "/steps/<step_id>/depth", returns=ShotState, files=True)
    def bring_depth(shot_id: str, plate_id: str, step_id: str) -> ShotState:
        """Let a depth step go by a picture that is brought."""
        name, data = uploaded()
        sources.depth_picture(desk, shot_id, plate_id, step_id, name, data)
        return states.changed(shot_id)
