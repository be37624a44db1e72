"""What the commands of the command line share: how they read what they are given, answer, and refuse."""

from __future__ import annotations

import json
from typing import Any

import click
from pydantic import BaseModel

from roofline.core.throw.engine import Engine
from roofline.errors import RoofLineError
from roofline.formats.package import Package
from roofline.work.engines import Engines
from roofline.work.kept import Kept


class Bad(click.ClickException):
    """Bad input: one line on standard error, exit code 2."""

    exit_code = 2

    def show(self, file: Any = None) -> None:
        click.echo(f"roofline: {self.message}", err=True)


class Group(click.Group):
    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except RoofLineError as error:
            raise Bad(str(error)) from None
        except OSError as error:
            raise Bad(f"{error.filename or 'A file'}: {error.strerror or error}.") from None


def put(data: Any) -> None:
    """Print JSON to standard output."""
    if isinstance(data, BaseModel):
        data = data.model_dump(mode="json")
    elif isinstance(data, list):
        data = [d.model_dump(mode="json") if isinstance(d, BaseModel) else d for d in data]
    click.echo(json.dumps(data, allow_nan=False))


def range_of(text: str | None) -> tuple[int | None, int | None]:
    """'A-B', 'A' or nothing → first and last frame."""
    if text is None:
        return None, None
    parts = text.split("-")
    try:
        numbers = [int(p) for p in parts]
    except ValueError:
        numbers = []
    if len(numbers) not in (1, 2) or any(n < 0 for n in numbers):
        raise Bad(f"'{text}' is not a range of frames; write it like 1-120.")
    return numbers[0], numbers[-1]


def pixel_of(text: str) -> tuple[float, float]:
    try:
        x, y = (float(v) for v in text.split(","))
    except ValueError:
        raise Bad(f"'{text}' is not a pixel; write it like 960.5,540.5.") from None
    if not (abs(x) < 1e7 and abs(y) < 1e7):
        raise Bad(f"'{text}' is not a pixel of a picture.")
    return x, y


def engines_of(package: Package) -> Engines:
    return Engines(package.read, Kept())


def engine_of(package: Package) -> Engine:
    return engines_of(package).engine(package.shot)


def size_of(text: str | None) -> tuple[int, int] | None:
    """'1920x1080' → width and height."""
    if text is None:
        return None
    try:
        width, height = (int(v) for v in text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise Bad(f"'{text}' is not a size; write it like 1920x1080.") from None
    if not (16 <= width <= 16384 and 16 <= height <= 16384):
        raise Bad(f"A frame has 16 to 16384 pixels a side, not {width} × {height}.")
    return width, height


def area_of(text: str) -> tuple[float, float, float, float]:
    """'X0,Z0,X1,Z1' → an area in plan."""
    try:
        x0, z0, x1, z1 = (float(v) for v in text.split(","))
    except ValueError:
        raise Bad(f"'{text}' is not an area; write it like -5,0,5,10.") from None
    if not (x1 >= x0 and z1 >= z0 and max(abs(x0), abs(z0), abs(x1), abs(z1)) < 1e6):
        raise Bad(f"'{text}' is not an area: its second corner lies beyond its first.")
    return x0, z0, x1, z1
