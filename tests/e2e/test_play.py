"""Random hands: at the end the screen, the store and a plain model of the same inputs say the same."""

from __future__ import annotations

import os

import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.conftest import a_halt, a_toy
from tests.e2e.player import FIGURES, LIMITS, SLIP, UNRULY, Act, Model, Player, planned, shortest

PLAYS = range(*map(int, os.environ.get("ROOFLINE_PLAYS", "0:2").split(":")))  # 0:400 plays four hundred
ACTS = 10


def held(page, shot, plates) -> dict:
    """What the store holds, as a `Model` says it."""
    now = state(page, shot)["shot"]
    return {
        "limits": {k: now["limits"][k] for k in LIMITS.values()},
        "rises": {k["frame"]: round(k["position"][1], 6) for k in now["move"]["keys"]},
        "spots": {k["frame"]: (k["position"][0], k["position"][2]) for k in now["move"]["keys"]},
        "pieces": {
            f"{s['id']} {part}": round(s["corner"][1] if part == "corner.1" else s["turn_deg"], 6)
            for s in now["solids"]
            if s["kind"] == "block"
            for part in FIGURES.values()
        },
        "names": {p["id"]: p["name"] for p in now["plates"] if p["id"] in plates},
    }


def differences(got: dict, wanted: dict) -> list[str]:
    """Where the store does not hold what the model says."""
    found = []
    for what, items in wanted.items():
        for of, value in items.items():
            there = got[what].get(of)
            near = (
                there is not None and max(abs(a - b) for a, b in zip(there, value, strict=True)) < SLIP
                if what == "spots"
                else None
            )
            if not (there == value if near is None else near):
                found.append(f"{what} {of}: {there}, not {value}")
    return found


def quiet(page, shot, late: int):
    """Wait until all that was asked is answered: nothing is out, or has been asked or kept for as long as answers take.

    A busy server may take longer than that: what waits its turn behind an answer would be lost to a reload.
    """
    seen: list = []
    ticks = late // 100 + 36  # a busy server may take seconds besides

    def rests():
        seen.append((*page.evaluate("[window.asked, window.unanswered]"), state(page, shot)["revision"]))
        page.wait_for_timeout(100)
        return len(seen) > ticks and len(set(seen[-ticks:])) == 1 and seen[-1][1] == 0

    until(rests, 90)


def played(page, shot, acts: list[Act], seed: int, undoing: bool) -> list[str]:
    """Play; what is not at the end as it should be."""
    late = [300, 1500, 3000][seed % 3]
    page.goto("about:blank")
    page.add_init_script(UNRULY % {"seed": seed + 3, "delay": late, "failing": 0 if undoing else 0.06})
    page.goto(f"/shot/{shot}/move")
    page.wait_for_selector("canvas[data-frame]")
    plates = [p["id"] for p in state(page, shot)["shot"]["plates"]]
    model = Model(**held(page, shot, plates))
    player = Player(page, plates)
    for number, act in enumerate(acts):
        player.act(model, act)
        if not undoing and number == ACTS // 2:  # a second page changes the same shot
            assert page.request.put(f"/api/shots/{shot}/name", data={"name": f"Played {seed}"}).ok
    page.evaluate("document.activeElement.blur()")
    quiet(page, shot, late)
    wanted = model.after(page.evaluate("window.failed"))
    found = differences(held(page, shot, plates), wanted)
    if found:
        return found
    if not undoing and len(acts) > ACTS // 2:
        expect(page.locator(".rail .title")).to_have_text(f"Played {seed}")
    # what is shown is what is there
    player.go("plates")
    for number, ident in enumerate(plates):
        expect(page.locator("[data-plates] tr").nth(number)).to_contain_text(wanted["names"][ident])
    played_on = {k.split()[0] for k, v in wanted["pieces"].items() if v != model.pieces[k]}
    player.go("massing")
    for ident in played_on:
        page.locator(f"[data-piece={ident}]").click()
        for label, part in FIGURES.items():
            said = page.get_by_label(label, exact=True).input_value()
            assert float(said) == pytest.approx(wanted["pieces"][f"{ident} {part}"], abs=0.005), (ident, label)
    player.go("move")
    page.reload()
    page.wait_for_selector("canvas[data-frame]")
    for label, name in LIMITS.items():
        expect(page.get_by_label(label, exact=True)).to_have_value(str(wanted["limits"][name]).removesuffix(".0"))
    return found


@pytest.mark.slow
@pytest.mark.parametrize("seed", PLAYS)
def test_whatever_is_played_screen_and_store_agree_with_what_was_done(page, running, seed):
    """A few plays on the demo's shot; more of them, when asked for, on a small one, which is the same to hands."""
    a_shot = a_halt if seed < 2 else a_toy
    if a_shot is a_toy:
        page.set_viewport_size({"width": 1024, "height": 640})  # where hands are tried, the picture may be small
    undoing = seed % 2 == 0  # whether a change that fails was undone before or after is a matter of when: not both
    acts = planned(seed, ACTS, undoing)
    found = played(page, a_shot(page, running[0]), acts, seed, undoing)
    if not found:
        return
    print("\n".join(["first seen:", *found]))  # should the shorter plays end otherwise
    less = shortest(acts, lambda some: bool(played(page, a_shot(page, running[0]), some, seed, undoing)))
    raise AssertionError("\n".join([*found, "", *map(str, less)]))
