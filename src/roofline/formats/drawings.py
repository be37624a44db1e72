"""SVG drawings of strangers, drawn at a size: what they refer to is taken out, and they are drawn apart, within limits
of depth, time and memory."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from xml.parsers import expat
from xml.sax.saxutils import escape, quoteattr

from roofline.errors import FormatError

DEEPEST = 256  # elements within one another: the renderer goes down by recursion
MOST = 400_000  # elements
NARROWEST = 200  # times as long as wide
PATIENCE = 30  # seconds
PICTURES = ("data:image/png", "data:image/jpeg", "data:image/jpg", "data:image/webp", "data:image/gif")
#: pixels of CSS in a unit
UNITS = {"": 1.0, "px": 1.0, "pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0, "em": 16.0}
NUMBER = r"[+]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"


def drawn(name: str, data: bytes, longest: int) -> bytes:
    """A drawing as a PNG whose longer side has so many pixels. Raises FormatError."""
    try:
        safe = _Safe()
        text = safe.of(data)
    except expat.ExpatError as error:
        raise FormatError(f"{name} is not a readable SVG drawing: {error}.") from None
    except ValueError as error:
        raise FormatError(f"{name} was not read: {error}.") from None
    wide = safe.width >= safe.height
    if max(safe.width, safe.height) > NARROWEST * min(safe.width, safe.height):
        raise FormatError(f"{name} was not read: it is more than {NARROWEST} times as long as wide.")
    command = [sys.executable, "-I", str(Path(__file__).with_name("draw_apart.py"))]
    try:
        done = subprocess.run(
            [*command, "width" if wide else "height", str(longest)],
            input=text.encode(),
            capture_output=True,
            timeout=PATIENCE,
        )
    except subprocess.TimeoutExpired:
        raise FormatError(f"{name} takes more than {PATIENCE} s to draw. Save it as a picture instead.") from None
    if done.returncode == 2:
        raise FormatError(f"{name} is not a readable SVG drawing: {done.stderr.decode(errors='replace').strip()}.")
    if done.returncode or not done.stdout:
        raise FormatError(f"{name} takes too much time or memory to draw. Save it as a picture instead.")
    return done.stdout


class _Safe:
    """Reads a drawing, and writes it anew without what it refers to beside itself.

    ``width``, ``height``: as its head has them, in whatever unit both are.
    """

    def __init__(self) -> None:
        self._out: list[str] = []
        self._depth = self._count = 0
        self.width = self.height = 1.0

    def of(self, data: bytes) -> str:
        """The drawing's text. Raises ExpatError where it is no XML, ValueError for what is not read."""
        parser = expat.ParserCreate()
        parser.buffer_text = True
        parser.StartElementHandler, parser.EndElementHandler = self._start, self._end
        parser.CharacterDataHandler = lambda text: self._out.append(escape(text))
        parser.EntityDeclHandler = _entity
        parser.Parse(data, True)
        return "".join(self._out)

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        self._depth += 1
        self._count += 1
        if self._depth > DEEPEST:
            raise ValueError(f"it nests more than {DEEPEST} elements")
        if self._count > MOST:
            raise ValueError(f"it has more than {MOST:,} elements")
        if self._depth == 1:
            if tag.rpartition(":")[2] != "svg":
                raise ValueError("it is not an SVG file")
            self.width, self.height = _size(attributes)
        kept = "".join(f" {n}={quoteattr(v)}" for n, v in attributes.items() if _stays(n, v))
        self._out.append(f"<{tag}{kept}>")

    def _end(self, tag: str) -> None:
        self._depth -= 1
        self._out.append(f"</{tag}>")


def _entity(*_: object) -> None:
    raise ValueError("it declares XML entities")


def _stays(name: str, value: str) -> bool:
    """Whether an attribute refers to nothing beside the file: but to a part of it, or to a picture within it."""
    if name.rpartition(":")[2].lower() != "href":
        return True
    value = value.strip()
    return value.startswith("#") or value.lower().startswith(PICTURES)


def _size(attributes: dict[str, str]) -> tuple[float, float]:
    """Width over height as a pair, from the head's own figures, else from its view box; square without any."""
    box = re.fullmatch(rf"\s*\S+[\s,]+\S+[\s,]+({NUMBER})[\s,]+({NUMBER})\s*", attributes.get("viewBox", ""))
    shape = (float(box[1]), float(box[2])) if box and float(box[1]) > 0 < float(box[2]) else None
    sides = [_length(attributes.get(side, "")) for side in ("width", "height")]
    if sides[0] and sides[1]:
        return sides[0], sides[1]
    return shape or (1.0, 1.0)


def _length(said: str) -> float | None:
    """A length in pixels; None for none, and for a share of what is around it."""
    found = re.fullmatch(rf"\s*({NUMBER})\s*([a-z]*)\s*", said)
    return float(found[1]) * UNITS[found[2]] if found and found[2] in UNITS else None
