"""Starting the server: waitress on one address, the engine warmed up in the background."""

from __future__ import annotations

import socket
import threading
from pathlib import Path

import click
from waitress.server import create_server

from roofline.demo.shot import DEMO_ID, FOLDER, warm_up
from roofline.errors import RoofLineError
from roofline.server.api import Api
from roofline.server.app import create_app
from roofline.store.store import default_data


def run(data: Path | None, host: str, port: int, token: str | None, demo: bool) -> None:
    """Serve until interrupted; prints the address once it answers."""
    if host not in ("127.0.0.1", "localhost", "::1") and not token:
        raise RoofLineError(f"Serving on {host} needs an access token: give one with --token.")
    folder = data or default_data()
    app = create_app(folder, host, token)
    api: Api = app.extensions["roofline"]
    if demo and all(s.id != DEMO_ID for s in api.store.shots()):
        api.studio.take_in(FOLDER, shot_id=DEMO_ID)
    try:
        server = create_server(
            app,
            host=host,
            port=port,
            threads=32,  # every open page holds one for its news
            channel_timeout=3600,
            max_request_body_size=1_600_000_000,
            ident="Roof Line",
        )
    except (OSError, socket.gaierror) as error:
        raise RoofLineError(f"Port {port} on {host} cannot be used: {error.strerror or error}.") from None
    shown = f"http://{host}:{server.effective_port}"
    threading.Thread(target=warm_up, daemon=True, name="warm-up").start()
    click.echo(shown + (f"/?token={token}" if token else ""))
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        api.jobs.close()
