"""Live news: one stream for a browser, whichever shots its pages show."""

from __future__ import annotations

import json
from collections.abc import Iterator

from flask import Response

from roofline.model.base import Model
from roofline.server.routes import Routes
from roofline.server.site import SHOT, Site
from roofline.work.news import Listening


class Revision(Model):
    """What a page that hears no news asks for."""

    revision: int
    born: str
    folder: str | None  # what is wrong with the data folder


def _stream(messages: Listening, with_shot: bool) -> Response:
    """Messages as server-sent events. Their place is given back with the response, even where none was sent: after
    HEAD, or to who left before the first byte."""

    def lines() -> Iterator[str]:
        yield "retry: 1000\n\n"
        for shot, kind, data in messages:
            told = {"shot": shot, **data} if with_shot and data is not None else data
            yield ": beat\n\n" if kind == "beat" else f"event: {kind}\ndata: {json.dumps(told)}\n\n"

    response = Response(lines(), mimetype="text/event-stream", headers={"Cache-Control": "no-store"})
    response.call_on_close(messages.close)
    return response


def add_routes(site: Site, routes: Routes) -> None:
    news, store = site.desk.news, site.desk.store

    def begun(messages: Listening) -> Listening:
        """What a page that comes late has to know first: that the data folder is away."""
        says = store.there.trouble()
        if says is not None:
            messages.first(("", "folder", {"says": says}))
        return messages

    @routes.add("GET", "/api/news", media="text/event-stream")
    def all_news() -> Response:
        """Live news of all shots; each message says which."""
        return _stream(begun(news.listen()), True)

    @routes.add("GET", SHOT + "/events", media="text/event-stream")
    def events(shot_id: str) -> Response:
        """Live news of a shot: `changed` with its revision, `rail` with a figure, `job` with its state, `removed`."""
        store.revision(shot_id)
        return _stream(news.listen(shot_id), False)

    @routes.add("GET", SHOT + "/revision", returns=Revision)
    def get_revision(shot_id: str) -> Revision:
        """The revision that a shot is at."""
        trouble = store.there.trouble()
        return Revision(revision=store.revision(shot_id), born=store.born(shot_id), folder=trouble)
