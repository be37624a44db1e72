"""Changes that say what they change by identity: what is not named stays as it is, whoever has changed it meanwhile."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Generic, TypeVar

from pydantic import ConfigDict, Field

from roofline.errors import Conflict, RoofLineError
from roofline.model.base import Model
from roofline.model.survey import Edge, Length, Survey

Item = TypeVar("Item", bound=Model)


def _known(names: Iterable[str], of: type[Model], what: str, but: tuple[str, ...] = ()) -> None:
    """Raise RoofLineError for a name that a model has not: it would be taken and forgotten."""
    for name in names:
        if name not in of.model_fields or name in but:
            raise RoofLineError(f"{what} has no '{name}'. Nothing was changed.")


class Items(Model, Generic[Item]):
    """What changes in a list of things that have ids. Names that nothing has are refused."""

    model_config = ConfigDict(extra="forbid")

    added: list[Item] = []
    changed: list[dict[str, Any]] = []  # each the id, and those fields that are otherwise from now on
    removed: list[str] = []

    def carried_out(self, items: list[Item], what: str) -> list[Item]:
        """The list as it is afterwards. What is removed or added twice is so once.

        Raises Conflict when what is to be changed is gone, or an id is taken by something else.
        """
        there = {item.id: item for item in items}  # type: ignore[attr-defined]
        for ident in self.removed:
            there.pop(ident, None)
        for change in self.changed:
            old = there.get(str(change.get("id")))
            if old is None:
                raise Conflict(f"{what} that you changed is no longer there; nothing else was changed.")
            _known(change, type(old), what)
            there[old.id] = type(old).model_validate({**old.model_dump(), **change})  # type: ignore[attr-defined]
        for new in self.added:
            if there.setdefault(new.id, new) != new:  # type: ignore[attr-defined]
                raise Conflict(f"{what} with this id is there already.")
        return list(there.values())


class SurveyChange(Model):
    """What changes in a survey: edges and tapes by id, and figures by name. Names that it has not are refused."""

    model_config = ConfigDict(extra="forbid")

    edges: Items[Edge] = Field(default_factory=lambda: Items[Edge]())
    lengths: Items[Length] = Field(default_factory=lambda: Items[Length]())
    given: dict[str, Any] = {}  # any of a survey's other fields

    def carried_out(self, survey: Survey) -> Survey:
        """The survey as it is afterwards; see `Items.carried_out`."""
        _known(self.given, Survey, "A survey", but=("edges", "lengths"))
        return Survey.model_validate(
            survey.model_dump()
            | self.given
            | {
                "edges": [e.model_dump() for e in self.edges.carried_out(survey.edges, "An edge")],
                "lengths": [t.model_dump() for t in self.lengths.carried_out(survey.lengths, "A tape")],
            }
        )
