"""Findings: what a check says, as sentences with the number, the place and what to do about it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel

from roofline.core.throw.check import GAPS, STRAINS
from roofline.model.move import Limits
from roofline.model.reports import CheckReport, CheckSoFar, FrameReport, HomeReport, HomeWhy
from roofline.model.shot import Shot

Action = Literal["bring_back", "add_throw", "go_to_frame", "mend_home"]


class Finding(BaseModel):
    text: str
    frame: int | None = None
    action: Action | None = None
    why: HomeWhy | None = None  # home differs from the photo
    who: str | None = None  # the piece or plate that this is due to
    remedy: str | None = None  # what a press does about it


def runs(frames: list[int]) -> list[tuple[int, int]]:
    """Frames in order as first–last stretches."""
    out: list[tuple[int, int]] = []
    for f in frames:
        if out and f == out[-1][1] + 1:
            out[-1] = (out[-1][0], f)
        else:
            out.append((f, f))
    return out


def _named(shot: Shot, surface: str) -> str:
    solid, _, face = surface.partition("/")
    name = next((s.name for s in shot.solids if s.id == solid), solid)
    return f"{name}, {face}" if face else name


def _why(frame: FrameReport, limits: Limits) -> list[str]:
    out = []
    if frame.gap > limits.gap_percent:
        out.append(f"{frame.gap:.2f} % without picture (limit {limits.gap_percent:g} %)")
    if frame.strain > limits.strain_percent:
        out.append(f"{frame.strain:.1f} % strained (limit {limits.strain_percent:g} %)")
    return out


SAID = {
    "bare": "needs paint",
    "void": "shows the edge of the set",
    "spilled": "carries a plate its camera could not see",
    "smeared": "is smeared",
    "soft": "goes soft",
}


def sets_the_border(shot: Shot, frame: FrameReport) -> str | None:
    """What keeps a frame from holding: the surface, its plate, and how much of the frame; None where it holds."""
    if frame.holds:
        return None
    kinds = GAPS if frame.gap > shot.limits.gap_percent else STRAINS
    causes = [(c.percent, c.surface, c.plate, c.verdict) for c in frame.causes if c.verdict in kinds]
    if frame.void and "void" in kinds:
        causes.append((frame.void, "", None, "void"))
    percent, surface, plate, verdict = max(causes, key=lambda c: c[0], default=(0.0, "", None, "void"))
    who = _named(shot, surface) if surface else "The frame"
    name = next((p.name for p in shot.plates if p.id == plate), None)
    by = f" (plate {name})" if name else ""
    return f"{who}{by} {SAID[verdict]}: {percent:.2f} % of the frame"


def worst_of(failing: Sequence[FrameReport]) -> FrameReport:
    """Of frames that fail, the one that is named: a missing picture weighs ten times what is strained."""
    return max(failing, key=lambda f: f.gap + 0.1 * f.strain)


def told_of(shot: Shot, frames: Sequence[FrameReport]) -> str:
    """Whether some frames hold, as a sentence, with the worst of them."""
    failing = [f for f in frames if not f.holds]
    if not failing:
        return f"All {len(frames)} frames hold." if len(frames) > 1 else "The frame holds."
    worst = worst_of(failing)
    return (
        f"{len(failing)} of {len(frames)} frames do not hold. Frame {worst.frame}: "
        + " and ".join(_why(worst, shot.limits))
        + "."
    )


def _open(report: CheckReport) -> list[Finding]:
    """That some frames are not told yet, and why."""
    if not isinstance(report, CheckSoFar) or not report.open:
        return []
    n = len(report.open)
    which = "1 frame is" if n == 1 else f"{n} frames are"
    said = f"{which} close to a limit. Roof Line judges {'it' if n == 1 else 'them'} at full size; until then: open."
    return [Finding(text=said, frame=report.open[0])]


def findings(shot: Shot, report: CheckReport) -> list[Finding]:
    """Sentences about a checked move, the most telling first."""
    failing = report.failing
    still = _open(report)
    if still and not failing:
        return still
    if not failing:
        worst = max(report.frames, key=lambda f: f.worst_stretch)
        return [
            Finding(
                text=f"All {len(report.frames)} frames hold. The highest stretch is {worst.worst_stretch:.2f} "
                f"(limit {shot.limits.stretch:g}), on frame {worst.frame}.",
                frame=worst.frame,
            )
        ]
    stretches = ", ".join(f"{a} to {b}" if a != b else str(a) for a, b in runs([f.frame for f in failing])[:4])
    out = [
        Finding(
            text=f"{len(failing)} of {len(report.frames)} frames do not hold: {stretches}.",
            frame=failing[0].frame,
            action="bring_back",
        ),
        *still,
    ]
    worst = worst_of(failing)
    out.append(
        Finding(
            text=f"Worst is frame {worst.frame}: " + " and ".join(_why(worst, shot.limits)) + ".",
            frame=worst.frame,
            action="go_to_frame",
        )
    )
    totals: dict[tuple[str, str], tuple[float, int]] = {}
    for f in failing:
        for c in f.causes:
            key = (c.surface, c.verdict)
            if c.percent > totals.get(key, (0.0, 0))[0]:
                totals[key] = (c.percent, f.frame)
        if f.void > totals.get(("", "void"), (0.0, 0))[0]:
            totals[("", "void")] = (f.void, f.frame)
    for (surface, verdict), (percent, frame) in sorted(totals.items(), key=lambda item: -item[1][0])[:4]:
        who = _named(shot, surface) if surface else "The frame"
        out.append(
            Finding(
                text=f"{who} {SAID[verdict]}: up to {percent:.1f} % of the frame, on frame {frame}.",
                frame=frame,
                action="go_to_frame",
            )
        )
    return out


#: what a press does about home's differing, by why it does; what is not here is for who works on it to decide
MENDS: dict[HomeWhy, str] = {
    "moved": "Set a rest key at home",
    "faded": "Make it opaque at home",
    "hidden": "Show the piece",
    "sunk": "Move the piece forward onto the ground",
    "grade": "Remove the grade",
    "clear": "Set full opacity",
    "clean": "Throw the fill after the photo",
    "photo": "Throw it after the home photo",
    "blend": "Blend layers as painted",
}
HOME_SAID = {
    "moved": "{who} is off its place there",
    "faded": "{who} is not opaque there",
    "hidden": "{who} is hidden",
    "sunk": "{who} lies partly under {surface}",
    "void": "no piece stands there",
    "bare": "no plate lands on {surface} there",
    "clean": "the fill of {who} covers the photo",
    "added": "{who} was added",
    "grade": "{who} is graded where it is thrown",
    "clear": "{who} is thrown at less than full opacity",
    "photo": "{who}, of another photo, comes first",
    "steps": "steps of {who} change its picture",
    "blend": "the layer {who} blends differently than in the photo",
    "order": "{who} lies elsewhere than in the photo",
}


def home_findings(shot: Shot, report: HomeReport) -> list[Finding]:
    """How home differs from the photo, and why; nothing where it does not."""
    if not report.causes:
        return []
    worst = report.causes[0]
    names = {p.id: p.name for p in shot.plates} | {s.id: s.name for s in shot.solids}
    surface = _named(shot, worst.surface) if worst.surface else ""
    said = HOME_SAID[worst.why].format(who=names.get(worst.who, worst.who), surface=surface)
    much = f"{report.percent:.2f} % of the frame, by up to {report.largest} of 255"
    return [
        Finding(
            text=f"Home differs from the photo in {much}. Most of it, {worst.percent:.2f} %: {said}.",
            frame=report.frame,
            action="mend_home" if worst.why in MENDS and worst.who else "go_to_frame",
            why=worst.why,
            who=worst.who,
            remedy=MENDS.get(worst.why),
        )
    ]
