"""Starting the server: waitress on one address, the engine warmed up beside it."""

from __future__ import annotations

import socket
from pathlib import Path

import click
from waitress.server import create_server

from roofline.demo.moving import MOVING_ID, moving
from roofline.demo.shot import DEMO_ID, FOLDER
from roofline.errors import RoofLineError
from roofline.server.app import create_app
from roofline.server.site import Site
from roofline.stages import shots
from roofline.store.store import default_data
from roofline.work import kept

THREADS = 32  # of which live news take some, see `news.MOST`
CONNECTIONS = 2000  # sockets held at once, most of them idle
IDLE_SECONDS = 120


def run(data: Path | None, host: str, port: int, token: str | None, demo: bool, ceiling: int = kept.CEILING) -> None:
    """Serve until interrupted; prints the address once it answers."""
    if host not in ("127.0.0.1", "localhost", "::1") and not token:
        raise RoofLineError(f"Serving on {host} needs an access token: give one with --token.")
    app = create_app(data or default_data(), host, token, ceiling)
    site: Site = app.extensions["roofline"]
    if demo and all(s.id != DEMO_ID for s in site.desk.store.shots()):
        shots.take_in(site.desk, FOLDER, shot_id=DEMO_ID)
        if all(s.id != MOVING_ID for s in site.desk.store.shots()):
            site.desk.store.create(moving(site.desk.store.load(DEMO_ID)), MOVING_ID)
    try:
        server = create_server(
            app,
            host=host,
            port=port,
            threads=THREADS,
            connection_limit=CONNECTIONS,
            channel_timeout=IDLE_SECONDS,
            asyncore_use_poll=True,  # select() ends at 1024 sockets
            max_request_body_size=1_600_000_000,
            ident="Roof Line",
        )
    except (OSError, socket.gaierror) as error:
        raise RoofLineError(f"Port {port} on {host} cannot be used: {error.strerror or error}.") from None
    shown = f"http://{host}:{server.effective_port}"
    site.desk.warm_up(FOLDER)
    click.echo(shown + (f"/?token={token}" if token else ""))
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        site.desk.close()
