"""How near the survey comes to the statistical limit: python -m tools.survey_table [SCENES] writes docs/survey-
accuracy.md."""

from __future__ import annotations

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from tools.survey_scenes import Scene, information_of, limit, scene

from roofline.core.survey.solve import solve
from roofline.errors import SurveyError
from roofline.model.survey import FocalPrior


def known_focal(seed: int) -> Scene:
    """One direction, and a focal length known to 1 %: the prior is drawn around the truth."""
    s = scene(seed, 8, ("rise",))
    truth = s.view.focal
    s.known["focal_px"] = FocalPrior(value=truth * (1 + 0.01 * s.rng.normal()), sigma=truth * 0.01)
    return s


GROUPS: dict[str, tuple[Callable[[int], Scene], float, float]] = {
    # name: scene, part of gross outliers, most times the limit that is asked for
    "three directions": (lambda seed: scene(seed), 0.0, 1.15),
    "two directions": (
        lambda seed: scene(seed, 12, (("run", "rise"), ("return", "rise"), ("run", "return"))[seed % 3]),
        0.0,
        1.15,
    ),
    "one, known focal length": (known_focal, 0.0, 1.15),
    "principal point free": (lambda seed: scene(seed, 24, off_centre=True, principal_point="solve"), 0.0, 1.15),
    "distortion free": (lambda seed: scene(seed, 24, points=8, lens=(-0.12, 0.02), distortion="solve"), 0.0, 1.15),
    "20 % gross outliers": (lambda seed: scene(seed, 25), 0.2, 1.5),
}


def one(job: tuple[str, int]) -> dict[str, float] | None:
    """Errors of one scene in units of the limit, and whether the truths lie inside the stated two sigma."""
    name, seed = job
    s = GROUPS[name][0](seed)
    given, wrong = s.given(1.0, GROUPS[name][1])
    try:
        got = solve(given)
    except SurveyError:
        return None
    best = limit(s, 1.0, wrong)
    turn = np.array(got.camera.rotation) @ s.view.rotation.T
    off = float(np.arccos(np.clip((np.trace(turn) - 1) / 2, -1, 1)))
    if name.startswith("one"):  # the turn about Rise is not determined: how far is Rise itself off
        rise = np.array(got.camera.rotation)[:, 1]
        off = float(np.arcsin(min(1.0, np.linalg.norm(np.cross(rise, s.view.rotation[:, 1])))))
        out = {"rotation": off / rise_limit(s), "rotation inside": float(np.degrees(off) < 2 * got.sigma.rotation_deg)}
        out["focal"] = float(np.log(got.camera.focal_px / s.view.focal)) / 0.01  # its limit is what was known
        out["focal inside"] = float(abs(got.camera.focal_px - s.view.focal) < 2 * (got.sigma.focal_px or 0))
        return out
    out = {
        "focal": float(np.log(got.camera.focal_px / s.view.focal)) / best["focal"],
        "rotation": off / best["rotation"],
        "focal inside": float(abs(got.camera.focal_px - s.view.focal) < 2 * (got.sigma.focal_px or 0)),
        "rotation inside": float(np.degrees(off) < 2 * got.sigma.rotation_deg),
    }
    if "centre" in best and got.sigma.principal_point:
        d = np.subtract(got.camera.principal_point, s.view.centre)
        out["centre"] = float(np.hypot(*d)) / best["centre"]
        out["centre inside"] = float(np.mean(np.abs(d) < 2 * np.array(got.sigma.principal_point)))
    if "k1" in best and got.sigma.distortion:
        d = got.camera.distortion[0] - s.lens[0]
        out["k1"] = d / best["k1"]
        out["k1 inside"] = float(abs(d) < 2 * got.sigma.distortion[0])
    return out


def rise_limit(s: Scene) -> float:
    """Limit for the direction of Rise in radians: the two turns across it, the turn about it held."""
    information = information_of(s)
    axis = s.view.rotation[:, 1]
    information[:3, :3] += 1e6 * np.outer(axis, axis)
    covariance = np.linalg.inv(information)[:3, :3]
    return float(np.sqrt(np.trace(covariance) - axis @ covariance @ axis))


def table(scenes: int) -> dict[str, dict[str, float]]:
    """By group: root mean square in units of the limit, and percent inside the stated two sigma."""
    out: dict[str, dict[str, float]] = {}
    with ProcessPoolExecutor() as pool:
        for name in GROUPS:
            got = list(pool.map(one, [(name, seed) for seed in range(scenes)], chunksize=5))
            solved = [g for g in got if g is not None]
            row = {"refused": float(len(got) - len(solved))}
            for key in solved[0]:
                values = np.array([g[key] for g in solved])
                row[key] = float(100 * values.mean()) if key.endswith("inside") else float(np.sqrt(np.mean(values**2)))
            out[name] = row
    return out


def main() -> None:
    scenes = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    rows = table(scenes)
    keys = ["focal", "rotation", "centre", "k1"]
    lines = [
        "# How near the survey comes to the statistical limit",
        "",
        f"Made by `python -m tools.survey_table {scenes}`: {scenes} synthetic scenes a group, 3000 × 2000 px,",
        "1 px noise on every traced point. Each figure is the root mean square error in units of the Cramér–Rao",
        "limit for those very edges (for the good ones, where there are outliers), then the percentage of truths",
        "inside the stated two sigma.",
        "",
        "| edges | asked | " + " | ".join(keys) + " | refused |",
        "| --- | --- |" + " --- |" * (len(keys) + 1),
    ]
    for name, row in rows.items():
        cells = [f"{row[k]:.2f} · {row[k + ' inside']:.0f} %" if k in row else "" for k in keys]
        lines.append(f"| {name} | {GROUPS[name][2]:.2f} | " + " | ".join(cells) + f" | {row['refused']:.0f} |")
    text = "\n".join(lines) + "\n"
    Path("docs/survey-accuracy.md").write_text(text)
    print(text)


if __name__ == "__main__":
    main()
