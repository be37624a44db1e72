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
from roofline.store.hold import holder
from roofline.store.store import default_data
from roofline.work import kept

THREADS = 32  # of which live news take some, see `news.MOST`
CONNECTIONS = 2000  # sockets held at once, most of them idle
IDLE_SECONDS = 120


def run(data: Path | None, host: str, port: int, token: str | None, demo: bool, ceiling: int = kept.CEILING) -> None:
    """Serve until interrupted; prints the address once it answers."""
    if host not in ("127.0.0.1", "localhost", "::1") and not token:
        raise RoofLineError(f"Serving on {host} needs an access token: give one with --token.")
    folder = data or default_data()
    door = _bound(folder, host, port)
    try:
        app = create_app(folder, host, token, ceiling)
    except BaseException:
        door.close()
        raise
    site: Site = app.extensions["roofline"]
    if demo and all(s.id != DEMO_ID for s in site.desk.store.shots()):
        shots.take_in(site.desk, FOLDER, shot_id=DEMO_ID)
        if all(s.id != MOVING_ID for s in site.desk.store.shots()):
            site.desk.store.create(moving(site.desk.store.load(DEMO_ID)), MOVING_ID)
    server = create_server(
        app,
        sockets=[door],
        threads=THREADS,
        connection_limit=CONNECTIONS,
        channel_timeout=IDLE_SECONDS,
        asyncore_use_poll=True,  # select() ends at 1024 sockets
        max_request_body_size=1_600_000_000,
        ident="Roof Line",
    )
    shown = f"http://{f'[{host}]' if ':' in host else host}:{door.getsockname()[1]}"
    assert site.desk.hold is not None
    site.desk.hold.say(shown)
    site.desk.warm_up(FOLDER)
    click.echo(shown + (f"/?token={token}" if token else ""))
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        site.desk.close()


def _bound(folder: Path, host: str, port: int) -> socket.socket:
    """A socket on the port, before anything of the folder is touched.

    Raises RoofLineError where the port cannot be had; FolderHeld where that is so because another program serves this
    very folder.
    """
    try:
        kind, _, _, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)[0]
        door = socket.socket(kind, socket.SOCK_STREAM)
        door.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        door.bind(address)
        door.listen(CONNECTIONS)
    except OSError as error:
        held = holder(folder)
        if held is not None:
            raise held from None
        raise RoofLineError(f"Port {port} on {host} cannot be used: {error.strerror or error}.") from None
    return door
