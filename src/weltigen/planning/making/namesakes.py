"""What follows from a person's names where these are set: full names and addresses are made from the names that a row has.

Names are set by fixed rows, by cohorts, or for all rows. Addresses still differ. A name that is set leaves a row outside of the
persons that are dealt, so such rows have numbers of their own: of fixed rows by their place, of others by their position.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ...model import ConstSource, WeightsSource
from ...model.paths import Cell
from ...plan.entity import EntityPlan
from ...plan.fields import Computed, FieldPlan, OfPerson
from ...plan.fillers import Fill
from ...plan.ports import RowsPort
from ...values import People, folded_names
from ...values.pools import one_array, picked

_PARTS = {"given-name": "given", "family-name": "family", "name": "full"}
_FOLLOWED = {"given-name": ("full",), "family-name": ("full",), "name": ("given", "family")}


@dataclass(frozen=True, slots=True)
class _Names:
    """Of some rows the given and the family name, and the number that tells namesakes apart."""

    given: Any
    family: Any
    numbers: NDArray[np.int64]


def following_names(entity_plan: EntityPlan, field_plan: FieldPlan, way: OfPerson) -> tuple[Fill, tuple[Cell, ...]] | None:
    """How a field follows names that are set; None where none are, or it follows none."""
    if not way.part.follows:
        return None
    parts = {part: name for name, part in _parts(entity_plan).items() if part in _FOLLOWED.get(way.kind, tuple(_PARTS.values()))}
    parts = {part: name for part, name in parts.items() if name != field_plan.field.name}
    people, name = entity_plan.people, field_plan.field.name
    if not entity_plan.generated and all(any(name == given for given, _ in row) for row in entity_plan.entity.fixed):
        return None  # every row gives it
    longest = None if field_plan.field.room is None else field_plan.field.room - way.part.longest_tail
    moving = {part: name for part, name in parts.items() if _is_set(entity_plan, name)}
    fixed = _of_fixed_rows(entity_plan, people, parts, moving, longest) if people is not None else None
    if people is None or not (moving or fixed):
        return None
    if "full" in moving and ("given" in moving or "family" in moving):
        del moving["full"]
    numbers = _numbers(entity_plan, people, moving, longest)
    decode, named, room = way.part.decode, way.part.named, field_plan.field.room
    texts = (
        (pa.array([one[0] for one in fixed], pa.string()), pa.array([one[1] for one in fixed], pa.string())) if fixed else None
    )

    def fill(rows: RowsPort) -> Any:
        person = rows.person()
        own = decode(people, person)
        given, family = people.given_names(person.given), people.family_names(person)
        wanted = _moved(rows, moving, given, family)
        number = numbers(rows.ordinals)
        if fixed and texts is not None and (there := rows.ordinals < len(fixed)).any():
            at = np.where(there, rows.ordinals, 0)
            mask = pa.array(there)
            wanted = tuple(pc.if_else(mask, picked(text, at), one) for text, one in zip(texts, wanted, strict=True))
            number = np.where(there, np.array([one[2] for one in fixed], np.int64)[at], number)
        differs = pc.or_(pc.not_equal(wanted[0], given), pc.not_equal(wanted[1], family)).fill_null(False)
        chosen = np.flatnonzero(np.asarray(one_array(differs)))
        if not chosen.size:
            return own
        made = named(picked(one_array(wanted[0]), chosen), picked(one_array(wanted[1]), chosen), number[chosen], room)
        index = np.arange(len(rows))
        index[chosen] = len(rows) + np.arange(chosen.size)
        return picked(pa.concat_arrays([one_array(own), one_array(made)]), index)

    return fill, tuple((entity_plan.name, name) for name in moving.values())


def apart_from_given(entity_plan: EntityPlan, field_plan: FieldPlan, way: OfPerson, fill: Fill) -> Fill:
    """An address that a fixed row has already gets a number behind all of theirs: the rows that are there may be of our own
    making."""
    name, people, origin = field_plan.field.name, entity_plan.people, entity_plan.origin
    rows_given = [*entity_plan.entity.fixed, *(origin.entity.fixed if origin is not None else ())]
    taken = {text.lower() for row in rows_given if (text := dict(row).get(name)) is not None}
    if people is None or not way.part.distinct or not taken:
        return fill
    numbers = (int(digits) for text in taken for digits in re.findall(r"\d{1,12}", text))
    first = 1 + max([people.most_namesakes + len(rows_given) + entity_plan.earlier_rows, *numbers])
    known, fixed, room = pa.array(sorted(taken), pa.string()), entity_plan.fixed, field_plan.field.room

    def over(rows: RowsPort) -> Any:
        made = one_array(fill(rows))
        met = pc.is_in(pc.utf8_lower(made), value_set=known).to_numpy(zero_copy_only=False) & (rows.ordinals >= fixed)
        chosen = np.flatnonzero(met)
        if not chosen.size:
            return made
        person = rows.person()
        given, family = (
            picked(one_array(part), chosen) for part in (people.given_names(person.given), people.family_names(person))
        )
        again = way.part.named(given, family, first + entity_plan.earlier_rows + rows.ordinals[chosen], room)
        index = np.arange(len(rows))
        index[chosen] = len(rows) + np.arange(chosen.size)
        return picked(pa.concat_arrays([made, one_array(again)]), index)

    return over


def _parts(entity_plan: EntityPlan) -> dict[str, str]:
    """The fields that hold names, with the part that they hold; of two with the same part the first."""
    found: dict[str, str] = {}
    for name, planned in entity_plan.fields.items():
        kind = planned.way.kind if isinstance(planned.way, OfPerson) else planned.field.means
        if isinstance(planned.way, OfPerson) and not planned.way.part.follows:
            continue
        if _follows(entity_plan, planned) or (planned.field.room is not None and planned.field.room < _SHORTEST_WHOLE):
            continue
        if kind in _PARTS and _PARTS[kind] not in found.values():
            found[name] = _PARTS[kind]
    return found


_SHORTEST_WHOLE = 6  # characters that a whole name has: in fewer there is something else


def _follows(entity_plan: EntityPlan, planned: FieldPlan) -> bool:
    """Whether a field is computed from what a person of the row gives."""
    read = planned.way.formula.paths.values() if isinstance(planned.way, Computed) else ()
    return any(isinstance(own.way, OfPerson) for path in read if (own := entity_plan.fields.get(path[0])) is not None)


def _is_set(entity_plan: EntityPlan, name: str) -> bool:
    """Whether generated rows have other names than their persons'."""
    in_cohort = any(name in cohort.fields for cohort in entity_plan.cohorts.values())
    return not isinstance(entity_plan.fields[name].way, OfPerson) or in_cohort


def _moved(rows: RowsPort, moving: Mapping[str, str], given: Any, family: Any) -> tuple[Any, ...]:
    """The names that rows have, their persons' where none is set."""
    if "full" in moving:
        whole = one_array(rows.column(moving["full"]))
        last = pc.replace_substring_regex(whole, r"^.*\s", "")
        first = pc.utf8_trim_whitespace(pc.replace_substring_regex(whole, r"\S*$", ""))
        return pc.coalesce(first, given), pc.coalesce(last, family)
    first = pc.coalesce(one_array(rows.column(moving["given"])), given) if "given" in moving else given
    last = pc.coalesce(one_array(rows.column(moving["family"])), family) if "family" in moving else family
    return first, last


def _of_fixed_rows(
    entity_plan: EntityPlan, people: People, parts: Mapping[str, str], moving: Mapping[str, str], longest: int | None
) -> list[tuple[str, str, int]]:
    """Given name, family name and number of each fixed row; nothing where no fixed row gives a name. Of both names there are
    `longest` characters at most, before they are cut."""
    given_rows = [dict(row) for row in entity_plan.entity.fixed]
    if not any(row.get(name) is not None for row in given_rows for name in parts.values()):
        return []
    person = people.at(np.arange(len(given_rows), dtype=np.int64))
    own = list(zip(people.given_names(person.given).to_pylist(), people.family_names(person).to_pylist(), strict=True))
    seen: Counter[tuple[str, str]] = Counter()
    said = _said(entity_plan, moving)
    out = []
    for at, (row, (first, last)) in enumerate(zip(given_rows, own, strict=True)):
        whole = row.get(parts.get("full", ""))
        if whole is not None:
            *words, last = whole.split() or [last]
            first = " ".join(words) if words else ""
        first, last = row.get(parts.get("given", "")) or first, row.get(parts.get("family", "")) or last
        pair = folded_names(first), folded_names(last)
        number = people.namesakes_of(*pair) + seen[pair]
        seen[pair] += 1
        taken = said is None or any(part in said for part in (*pair, "".join(pair)))
        if taken or (longest is not None and len("".join(pair)) > longest):
            number = people.most_namesakes + at  # generated rows may have the same names
        out.append((first, last, number))
    return out


def _said(entity_plan: EntityPlan, moving: Mapping[str, str]) -> set[str] | None:
    """The names, as they stand in addresses, that generated rows are given; None where they may be any."""
    out: set[str] = set()
    for name in moving.values():
        planned = [entity_plan.fields[name], *(c.fields[name] for c in entity_plan.cohorts.values() if name in c.fields)]
        for source in (one.field.source for one in planned if not isinstance(one.way, OfPerson)):
            if isinstance(source, ConstSource):
                out.add(folded_names(source.value))
            elif isinstance(source, WeightsSource):
                out |= set(map(folded_names, source.values()))
            else:
                return None
    return out


def _numbers(entity_plan: EntityPlan, people: People, moving: Mapping[str, str], longest: int | None) -> Any:
    """The numbers of generated rows whose names are set."""
    fixed, before = len(entity_plan.entity.fixed), entity_plan.earlier_rows
    source = entity_plan.fields[moving["family"]].field.source if set(moving) == {"family"} else None
    if isinstance(source, ConstSource) and not before and not fixed:
        family = folded_names(source.value)
        fits = longest is None or max(map(len, map(folded_names, people.given))) + len(family) <= longest
        if fits and family not in map(folded_names, people.family):
            return people.rank_within_given  # one family, which no other row has: given names tell most of them apart
    first = people.most_namesakes + fixed + before
    return lambda ordinals: first + people.position(ordinals)
