"""A thin typed layer over Flask: one registry of routes, from which the OpenAPI document is made as well."""

from __future__ import annotations

import inspect
import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any

from flask import Flask, Response, request
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from roofline import __version__
from roofline.errors import RoofLineError
from roofline.formats.package import sentence, strict_json

PROBLEM = "application/problem+json"
LONGEST = 20_000_000  # bytes of a change; files come another way
Width = Annotated[int, Field(ge=16, le=8192)]  # pixels that a picture for the screen may be asked for


@dataclass
class Route:
    method: str
    path: str
    handler: Callable[..., Any]
    body: Any
    returns: Any
    media: str
    query: dict[str, Any]
    files: bool


class Routes:
    """Collects routes; `install` binds them to Flask, `document` describes them."""

    def __init__(self) -> None:
        self.all: list[Route] = []

    def add(
        self,
        method: str,
        path: str,
        body: Any = None,
        returns: Any = None,
        media: str = "application/json",
        query: dict[str, Any] | None = None,
        files: bool = False,
    ) -> Callable[[Callable], Callable]:
        def wrap(handler: Callable) -> Callable:
            self.all.append(Route(method, path, handler, body, returns, media, query or {}, files))
            return handler

        return wrap

    def install(self, app: Flask) -> None:
        for route in self.all:
            app.add_url_rule(route.path, f"{route.method} {route.path}", self._bound(route), methods=[route.method])

    def _bound(self, route: Route) -> Callable[..., Any]:
        body = TypeAdapter(route.body) if route.body is not None else None
        query = {name: (TypeAdapter(kind), kind) for name, kind in route.query.items()}

        def call(**ids: str) -> Any:
            kwargs: dict[str, Any] = dict(ids)
            if body is not None:
                if request.mimetype != "application/json":
                    return problem(415, "The request must be JSON.")
                if (request.content_length or 0) > LONGEST:
                    return problem(413, f"A change is at most {LONGEST // 1_000_000} MB long.")
                try:
                    kwargs["body"] = body.validate_python(strict_json(request.get_data(), "The request"))
                except ValidationError as error:
                    return problem(422, sentence(error))
            for name, (adapter, _) in query.items():
                if name in request.args:
                    try:
                        kwargs[name] = adapter.validate_python(request.args[name])
                    except ValidationError as error:
                        return problem(422, f"{name}: {sentence(error)}")
            try:
                result = route.handler(**kwargs)
            except TypeError as error:
                missing = re.search(r"missing .*argument.*: (.*)$", str(error))
                if missing and set(re.findall(r"'(\w+)'", missing[1])) <= set(query):
                    return problem(422, f"The request lacks {missing[1]}.")
                raise
            if isinstance(result, Response):
                return result
            if isinstance(result, BaseModel):
                return Response(result.model_dump_json(), mimetype="application/json")
            return Response(TypeAdapter(route.returns).dump_json(result), mimetype="application/json")

        return call

    def document(self) -> dict[str, Any]:
        """OpenAPI 3.1."""
        kinds: list[tuple[int, str, TypeAdapter]] = []
        for i, route in enumerate(self.all):
            if route.body is not None:
                kinds.append((i, "validation", TypeAdapter(route.body)))
            if route.returns is not None:
                kinds.append((i, "serialization", TypeAdapter(route.returns)))
        schemas, shared = TypeAdapter.json_schemas(
            [(i, mode, adapter) for i, mode, adapter in kinds],  # type: ignore[misc]
            ref_template="#/components/schemas/{model}",
        )
        paths: dict[str, Any] = {}
        for i, route in enumerate(self.all):
            path = re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", route.path)
            answer = schemas[(i, "serialization")] if route.returns is not None else None
            operation = _operation(route, path, answer)
            if route.body is not None:
                operation["requestBody"] = _content("application/json", schemas[(i, "validation")])
            elif route.files:
                operation["requestBody"] = _content("multipart/form-data", ONE_FILE)
            paths.setdefault(path, {})[route.method.lower()] = operation
        return {
            "openapi": "3.1.0",
            "info": {"title": "Roof Line", "version": __version__},
            "paths": paths,
            "components": {"schemas": {**shared.get("$defs", {}), "Problem": PROBLEM_SCHEMA}},
        }


ONE_FILE = {
    "type": "object",
    "required": ["file"],
    "properties": {"file": {"type": "string", "format": "binary"}},
}
PROBLEM_SCHEMA = {
    "type": "object",
    "required": ["type", "title", "status", "detail"],
    "properties": {
        "type": {"type": "string"},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "detail": {"type": "string"},
    },
}


def _content(media: str, schema: Any) -> dict[str, Any]:
    return {"required": True, "content": {media: {"schema": schema}}}


def _operation(route: Route, path: str, answer: Any) -> dict[str, Any]:
    """A route as the document has it, without its body."""
    of_path = [
        {"name": n, "in": "path", "required": True, "schema": {"type": "string"}} for n in re.findall(r"{(\w+)}", path)
    ]
    of_query = [
        {"name": n, "in": "query", "required": _required(route, n), "schema": TypeAdapter(kind).json_schema()}
        for n, kind in route.query.items()
    ]
    return {
        "operationId": route.handler.__name__,
        "summary": (route.handler.__doc__ or "").strip().split("\n")[0],
        "parameters": of_path + of_query,
        "responses": {
            "200": {"description": "Done", "content": {route.media: {} if answer is None else {"schema": answer}}},
            "default": {
                "description": "Refused, with the reason",
                "content": {PROBLEM: {"schema": {"$ref": "#/components/schemas/Problem"}}},
            },
        },
    }


def _required(route: Route, name: str) -> bool:
    return inspect.signature(route.handler).parameters[name].default is inspect.Parameter.empty


def problem(status: int, detail: str) -> Response:
    """RFC 9457 problem JSON."""
    titles = {
        400: "Not understood",
        403: "Not allowed",
        404: "Not there",
        405: "Not possible",
        409: "Does not fit",
        413: "Too large",
        415: "Wrong kind",
        422: "Refused",
        503: "Busy",
        507: "No room",
    }
    text = json.dumps(
        {"type": "about:blank", "title": titles.get(status, "Problem"), "status": status, "detail": detail}
    )
    return Response(text, status=status, mimetype=PROBLEM)


def told(error: RoofLineError) -> Response:
    return problem(error.code, str(error))
