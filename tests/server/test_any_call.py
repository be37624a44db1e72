"""Whatever is sent to whatever route, the server answers in words and every shot still opens."""

from __future__ import annotations

import json
import os
from collections.abc import Callable

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis.generation.hypothesis.builder import HypothesisTestConfig, HypothesisTestMode, create_test

from roofline.demo.shot import DEMO_ID, FOLDER
from roofline.stages import shots

#: calls of each route; 70 of them make 5,000 calls
CALLS = int(os.environ.get("ROOFLINE_CALLS", "1"))
#: of the calls of a route that are made up from its schema, as many are made: steps have thousands of forms
MOST = int(os.environ.get("ROOFLINE_CALLS_MOST", "150"))
LONG = ["events", "start_delivery", "start_bring_back", "start_check"]
LONG += ["clean_all", "start_ways", "start_paint_list", "start_along"]


def real(case, state) -> None:
    """Most calls go to what is there: of ids made up, nothing but the refusal would be tried."""
    shot = state["shot"]
    there = {
        "shot_id": [DEMO_ID],
        "photo_id": [p["id"] for p in shot["photos"]],
        "other_id": [p["id"] for p in shot["photos"]],
        "plate_id": [p["id"] for p in shot["plates"]],
        "solid_id": [s["id"] for s in shot["solids"]],
        "frame": ["1", "60", str(state["last_frame"])],
    }
    for number, name in enumerate(case.path_parameters or {}):
        ids = there.get(name)
        if ids:
            case.path_parameters[name] = ids[(len(str(case.body)) + number) % len(ids)]


DOCUMENT = json.loads((FOLDER.parents[3] / "docs" / "schema" / "openapi.json").read_text())
ROUTES = [call["operationId"] for calls in DOCUMENT["paths"].values() for call in calls.values()]


def calls_of(route: str, called: Callable[..., None]) -> Callable[..., None]:
    """A test that calls a route with what its schema allows, and with much that it does not.

    Made when it is run, not when tests are collected: making those of all routes takes half a minute in every process.
    """
    schema = schemathesis.openapi.from_dict(DOCUMENT)
    operation = next(iter(schema.include(operation_id=route).get_all_operations())).ok()
    quiet = settings(max_examples=CALLS, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
    how = HypothesisTestConfig(project=schema.config, modes=list(HypothesisTestMode), settings=quiet)
    return create_test(operation=operation, test_func=called, config=how)


@pytest.mark.slow
@pytest.mark.parametrize("route", [r for r in ROUTES if r not in LONG])
def test_no_call_breaks_the_server_or_closes_a_shot(route, app):
    client, made = app.test_client(), 0

    def called(case) -> None:
        nonlocal made
        made += 1
        if made > MOST * CALLS:
            return
        before = client.get(f"/api/shots/{DEMO_ID}")
        if before.status_code == 404:  # removed by a call that was meant to
            shots.take_in(app.extensions["roofline"].desk, FOLDER, shot_id=DEMO_ID)
            before = client.get(f"/api/shots/{DEMO_ID}")
        real(case, before.get_json())
        answer = client.open(
            case.formatted_path.replace(" ", "%20") if "\x00" not in case.formatted_path else "/api/shots",
            method=case.method,
            json=case.body if isinstance(case.body, dict | list | str | int | float | bool) else None,
            query_string={k: str(v) for k, v in (case.query or {}).items()},
        )
        # what an endless stream says is not waited for
        said = (case.method, case.formatted_path, case.body)
        assert answer.status_code < 500, (*said, answer.get_data(as_text=True)[:300])
        after = client.get(f"/api/shots/{DEMO_ID}")
        assert after.status_code in (200, 404), after.get_data(as_text=True)[:300]

    calls_of(route, called)()
    assert made
