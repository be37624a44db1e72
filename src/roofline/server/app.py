"""The Flask application: routes, the built front end, and what is refused before anything is parsed."""

from __future__ import annotations

import hmac
import sqlite3
from pathlib import Path

from flask import Flask, Response, redirect, request, send_from_directory
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from roofline.errors import FolderGone, RoofLineError
from roofline.formats.package import sentence
from roofline.server import events, handoff, massing, move, photo, plates, shots, sources, survey
from roofline.server.routes import Routes, problem, told
from roofline.server.site import Site
from roofline.stages.opening import open_desk
from roofline.store.room import FULL, is_full
from roofline.work import kept

MAX_UPLOAD = 1_500_000_000
POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; object-src 'none'; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
LOCAL = ("127.0.0.1", "localhost", "[::1]")
COOKIE = "roofline-token"
LONGEST = 200  # characters of a file's name here; Linux takes 255 bytes


def web_folder() -> Path:
    """The built front end."""
    return Path(__file__).resolve().parents[3] / "web" / "dist"


def make_routes(site: Site) -> Routes:
    """All routes."""
    routes = Routes()
    for part in (shots, events, photo, survey, massing, plates, sources, move, handoff):
        part.add_routes(site, routes)
    return routes


def create_app(data: Path, host: str = "127.0.0.1", token: str | None = None, ceiling: int = kept.CEILING) -> Flask:
    """The application over a data folder. Every address but this machine's own demands a token.

    ``ceiling``: bytes that may be kept warm in memory.
    """
    app = Flask("roofline", static_folder=None)
    app.config["MAX_CONTENT_LENGTH"] = MAX_UPLOAD
    site = Site(open_desk(data, ceiling))
    app.extensions["roofline"] = site
    routes = make_routes(site)
    routes.install(app)
    document = routes.document()
    _guards(app, host, token)
    _refusals(app)

    @app.get("/api/openapi.json")
    def openapi() -> dict:
        return document

    _pages(app)
    return app


def _guards(app: Flask, host: str, token: str | None) -> None:
    """What is refused before anything is parsed, and what every answer carries."""

    @app.before_request
    def guard() -> Response | None:
        name = (request.host or "").rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
        if token is None and name not in LOCAL and name != host:
            return problem(403, "This server answers to this machine only.")
        origin = request.headers.get("Origin")
        # browsers say it of themselves; a link to the page may be followed from anywhere
        site = request.headers.get("Sec-Fetch-Site", "none")
        if site not in ("none", "same-origin") and request.path.startswith("/api/"):
            return problem(403, "Requests from other sites are not answered.")
        if origin and request.method not in ("GET", "HEAD") and origin != f"{request.scheme}://{request.host}":
            return problem(403, "Requests from other sites are not answered.")
        return None if token is None else _admitted(token)

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response


def _admitted(token: str) -> Response | None:
    """None for whoever has the token; it is kept in a cookie when it comes with the address."""
    given = request.headers.get("Authorization", "").removeprefix("Bearer ") or request.cookies.get(COOKIE, "")
    if _same(request.args.get("token", ""), token):
        response = redirect("/")
        response.set_cookie(COOKIE, token, httponly=True, samesite="Strict")
        return response  # type: ignore[return-value]
    if not _same(given, token):
        return problem(403, "An access token is needed; open the address that was printed when the server started.")
    return None


def _same(given: str, token: str) -> bool:
    """Whether it is the token, in a time that does not depend on how much of it is right."""
    return hmac.compare_digest(given.encode("utf-8", "surrogateescape"), token.encode("utf-8", "surrogateescape"))


def _refusals(app: Flask) -> None:
    """Errors as sentences."""

    @app.errorhandler(RoofLineError)
    def refused(error: RoofLineError) -> Response:
        return told(error)

    @app.errorhandler(OSError)
    @app.errorhandler(sqlite3.OperationalError)
    def no_room(error: Exception) -> Response:
        if is_full(error):
            return problem(507, FULL)
        gone = app.extensions["roofline"].desk.store.there.trouble()
        if gone is None:
            raise error
        return problem(FolderGone.code, gone)

    @app.errorhandler(ValidationError)
    def invalid(error: ValidationError) -> Response:
        return problem(422, sentence(error))

    @app.errorhandler(HTTPException)
    def failed(error: HTTPException) -> Response:
        if error.code == 413:
            return problem(413, f"The file is larger than {MAX_UPLOAD // 1_000_000} MB.")
        return problem(error.code or 500, error.description or "That did not work.")


def _pages(app: Flask) -> None:
    """The built front end; any address that is none of the API's is a page of it."""
    web = web_folder()

    @app.get("/")
    @app.get("/<path:path>")
    def page(path: str = "index.html") -> Response:
        if path.startswith("api/"):
            return problem(404, "There is nothing at this address.")
        if not (web / "index.html").is_file():
            return Response("The front end is not built yet: run make setup.", status=503, mimetype="text/plain")
        if len(path) < LONGEST and "\0" not in path and (web / path).is_file():
            response = send_from_directory(web, path)
            if path.startswith("assets/"):
                response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
            return response
        return send_from_directory(web, "index.html")
