"""Some fields of a thing set, as a hand sets them: what it did not touch stays as whoever else has left it."""

from __future__ import annotations

from typing import Annotated, TypeVar

from pydantic import BaseModel, Field, JsonValue, StringConstraints

from roofline.errors import RoofLineError

#: a field, or one number of it: ``name``, ``corner.1``
Part = Annotated[str, StringConstraints(pattern=r"^[a-z_]+(\.\d{1,2})?$")]
Parts = Annotated[dict[Part, JsonValue], Field(max_length=60)]
KEPT = frozenset({"id", "kind", "do"})  # what a thing is, is not changed
M = TypeVar("M", bound=BaseModel)


def with_parts(thing: M, parts: dict[str, JsonValue]) -> M:
    """The thing with some parts set, checked as a whole.

    Raises
    ------
    RoofLineError
        For a part that it has not, or that says what it is.
    pydantic.ValidationError
        For a value that does not fit.
    """
    given = thing.model_dump(mode="json")
    for part, value in parts.items():
        name, _, number = part.partition(".")
        if name not in type(thing).model_fields or name in KEPT:
            raise RoofLineError(f"There is no field '{part}' to set.")
        if not number:
            given[name] = value
            continue
        if not isinstance(given[name], list) or int(number) >= len(given[name]):
            raise RoofLineError(f"There is no field '{part}' to set.")
        given[name][int(number)] = value
    return type(thing).model_validate(given)
