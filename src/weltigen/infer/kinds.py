"""Which kind of value a field holds, guessed from its name, its type and its entity."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from sqlglot import exp

from ..expression import parse
from ..model import Entity, Field, FieldType, Guess, KindSource, TypeName, WeightsSource, World
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS
from ..values import get_kind
from .checks import limits_room

PERSONS = (
    r"passenger|person|people|user|member|crew|pilot|captain|patient|student|teacher|guest|visitor|contact|staff|steward|keeper"
)
PLACES = r"port|island|city|town|place|region|village|harbou?r|station|district|county|country|location|berth|lake|river"
VESSELS = r"vessel|ship|boat|ferry"
FIRMS = r"company|companies|organi[sz]ation|operator|agency|supplier|firm|carrier|shipyard|insurer"


@dataclass(frozen=True, slots=True)
class Clue:
    """A field whose name matches as a whole is probably of this kind."""

    name: str
    kind: str
    types: frozenset[TypeName] = TEXTS
    sure: bool = True


CLUES = (
    Clue(r"(first|given|fore)_?name|fname|vorname|prenom", "given-name"),
    Clue(r"(last|family|sur)_?name|lname|nachname|apellido", "family-name"),
    Clue(r"(full|display|real|contact)_?name", "name"),
    Clue(r"(.*_)?e_?mail(_address)?", "email"),
    Clue(r"(.*_)?(tel|phone|mobile|telephone|fax)(_?(number|no))?", "tel"),
    Clue(r"(.*_)?(city|town|place|village|harbou?r|birthplace)(_name)?", "place-name"),
    Clue(r"(company|organi[sz]ation|firm|operator|supplier|carrier)(_name)?", "organization"),
    Clue(r"(vessel|ship|boat|ferry)(_name)?", "vessel-name"),
    Clue(r"(.*_)?(lat|latitude)", "latitude", NUMBERS),
    Clue(r"(.*_)?(lng|lon|long|longitude)", "longitude", NUMBERS),
    Clue(r"(birth|born).*|.*(birth_?da(y|te)|date_of_birth)|dob|bday", "bday", MOMENTS),
    Clue(r"(.*_)?currency(_code)?", "iso-4217-currency"),
    Clue(r"(.*_)?country(_code)?", "iso-3166-country"),
    Clue(r"(.*_)?(url|uri|link|website|homepage)", "uri"),
    Clue(r"(.*_)?(ip|ip_?addr(ess)?|remote_addr)", "ipv4"),
    Clue(r"(.*_)?(hash|digest|checksum|sha_?256|token|password.*)", "sha-256", sure=False),
    Clue(r"(.*_)?(uuid|guid)", "uuid", TEXTS | {TypeName.UUID}),
    Clue(r".*(remark|comment|description|notes?|review|feedback|body|text|summary|details|message)s?", "remark"),
    Clue(r"(.*_)?(notice|announcement|subject|headline|alert)", "notice"),
    Clue(r"(.*_)?(code|sku|ref|reference|number|no|serial|key|tag|abbr(eviation)?)", "code"),
    Clue(r"(.*_)?(title|label|caption|.*_name)", "label"),
)


_GUESSABLE = TEXTS | NUMBERS | MOMENTS | {TypeName.TIME, TypeName.BOOLEAN, TypeName.UUID}


def guess_kinds(world: World) -> World:
    """Every field that no source was named for gets the kind that fits best, with the reason."""
    return replace(world, entities=tuple(_guess_entity(entity) for entity in world.entities))


def _guess_entity(entity: Entity) -> Entity:
    referring = {column for relation in entity.relations for column in relation.columns}
    fields = []
    named = _named_in_checks(entity)
    for field in entity.fields:
        said = field.source or field.name in referring or field.generated or _counts_up(entity, field) or _listed(field)
        left_alone = said or field.type.name not in _GUESSABLE
        if not left_alone and field.name.lower() in named and field.type.name in TEXTS:
            weights = tuple((value, 1.0) for value in named[field.name.lower()])
            fields.append(
                replace(field, source=WeightsSource(weights=weights), guess=Guess(reason="the values that its checks name"))
            )
            continue
        fields.append(field if left_alone else _guess(entity, field))
    return replace(entity, fields=tuple(fields))


def _named_in_checks(entity: Entity) -> dict[str, tuple[str, ...]]:
    """Texts that checks left as expressions compare a field with: a field that may be anything is best one of these."""
    named: dict[str, list[str]] = {}
    for check in entity.checks:
        if check.met_by is not None:
            continue
        for node in parse(check.expression, check.dialect).tree.find_all(exp.EQ, exp.In):
            values = node.expressions if isinstance(node, exp.In) else [node.expression]
            if isinstance(node.this, exp.Column) and all(isinstance(v, exp.Literal) and v.is_string for v in values):
                named.setdefault(node.this.name.lower(), []).extend(v.this for v in values)
    return {name: tuple(dict.fromkeys(values)) for name, values in named.items()}


def _counts_up(entity: Entity, field: Field) -> bool:
    """A number that is the whole key of its entity, or that the database would number."""
    return field.type.name in INTEGERS and (entity.key == (field.name,) or field.identity)


def _listed(field: Field) -> bool:
    return bool(field.limits.allowed or field.type.values or field.limits.patterns)


def _guess(entity: Entity, field: Field) -> Field:
    kind, reason, sure, parameters = _best(entity, field)
    return replace(field, source=KindSource(kind=kind, parameters=parameters), guess=Guess(reason=reason, sure=sure))


def _best(entity: Entity, field: Field) -> tuple[str, str, bool, tuple[tuple[str, str], ...]]:
    folded = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", field.name).lower()
    kind_name = field.type.name
    if folded in ("slug", "url_slug", "permalink") and kind_name in TEXTS:
        for neighbour in ("name", "title", "label", "headline"):
            if entity.has(neighbour):
                return "slug", f"its name, beside {neighbour}", True, (("of", neighbour),)
    if folded == "name" and kind_name in TEXTS:
        return _thing_named(entity)
    for clue in CLUES:
        if kind_name in clue.types and re.fullmatch(clue.name, folded) and _fits(clue.kind, field):
            return clue.kind, "its name", clue.sure, ()
    room = limits_room(field)
    if kind_name in TEXTS and (field.name,) == entity.key and (room is None or room >= 36):
        return "uuid", "a text that is the key", False, ()
    return (*_by_type(field.type, room), ())


def _fits(kind: str, field: Field) -> bool:
    """A personal or a long kind does not go into a column too narrow for it."""
    least = {"tel": 13, "uuid": 36, "remark": 60, "notice": 24, "uri": 40, "label": 12, "email": 30, "ipv4": 15}.get(kind, 2)
    room = limits_room(field)
    if kind in ("iso-4217-currency", "iso-3166-country"):
        return room is None or room >= (3 if "currency" in kind else 2)
    return (room is None or room >= least) and field.type.name in get_kind(kind).suits


def _thing_named(entity: Entity) -> tuple[str, str, bool, tuple[tuple[str, str], ...]]:
    folded = entity.name.lower()
    for pattern, kind, what in ((PERSONS, "name", "a person"), (PLACES, "place-name", "a place"),
                                (VESSELS, "vessel-name", "a vessel"), (FIRMS, "organization", "a firm")):  # fmt: skip
        if re.search(rf"(^|_|\.)({pattern})s?$", folded):
            return kind, f"'name' of {what}, by its entity", True, ()
    return "label", "'name' of a thing", False, ()


def _by_type(kind: FieldType, room: int | None) -> tuple[str, str, bool]:
    match kind.name:
        case TypeName.BOOLEAN:
            return "boolean", "its type", True
        case TypeName.UUID:
            return "uuid", "its type", True
        case TypeName.DATE:
            return "date", "its type", True
        case TypeName.TIME:
            return "time", "its type", True
        case TypeName.TIMESTAMP | TypeName.TIMESTAMPTZ:
            return "date-time", "its type", True
        case _ if kind.name in NUMBERS:
            return "number", "its type", True
        case _:
            if room is not None and room < 12:
                return "code", f"a text of at most {room} characters", False
            return "label", "a text, and its name says no more", False
