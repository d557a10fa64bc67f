"""`near`: the target is one of the rows nearest to another row that the reference's own row refers to."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from ...model import Choice, Entity, Relation
from ...model.problems import nearest
from ..sections import Natural, Section, either
from ..yaml_tree import Path
from .choice import Told, register

FEW = 5  # rows among which one is chosen where nothing is said


class NearSection(Section):
    """One of the nearest rows, by coordinates."""

    to: str = Field(description="Another reference of the entity: its row is the one to be near.")
    of: Natural = Field(FEW, description="One of this many nearest rows is chosen, each as likely.")


class NearKeys(Section):
    """The key of this way of choosing."""

    near: either(str, NearSection) | None = Field(  # type: ignore[valid-type]
        None,
        description="Another reference of the entity: the target is one of the five rows nearest to that one's row, by "
        "great-circle distance; `{to: REF, of: 3}` says among how many.",
    )


def read_near(told: Told, entity: Entity, relation: Relation, wish: Any, path: Path) -> Choice | None:
    if wish.near is None:
        return None
    section = NearSection.model_validate({"to": wish.near}) if isinstance(wish.near, str) else wish.near
    here = (*path, "near")
    others = tuple(other.name for other in entity.relations if other.name != relation.name)
    if section.to not in others:
        hint = nearest(section.to, others) or f"{entity.name} has no other reference"
        told.problem(here, f"'{section.to}' is not another reference of {entity.name}", hint, value=isinstance(wish.near, str))
        return None
    if section.of < 1:
        told.problem((*here, "of"), "one is chosen among one nearest row at least", "of: 5", value=True)
        return None
    return Choice(way="near", parameters=(("to", section.to), ("of", str(section.of))), place=told.tree.place(here))


register(NearKeys, read_near)
