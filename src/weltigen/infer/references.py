"""Relationships that nobody declared: a column named after an entity, of the type of its key."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property

from ..model import Entity, Field, Guess, Relation, TypeName, World
from ..model.leading import leads_to
from ..model.types import INTEGERS, TEXTS
from .concepts import matching
from .naming import folded, without_prefix
from .nouns import PERSONS

_ENDS = ("id", "uuid", "guid", "key", "fk", "ref", "code", "no", "nr", "number", "slug")
_SURE_ENDS = frozenset({"id", "uuid", "guid", "fk"})
_SURE = 0.7
_SELF = frozenset(
    {"parent", "predecessor", "previous", "next", "manager", "reports_to", "superior", "root", "original", "reply_to", "replaces"}
)
_USERS = ("user", "account", "app_user", "auth_user", "profile", "person")  # who acts, where several entities are of persons
_ROLES = frozenset(
    "owner author creator assignee sender recipient approver reviewer editor modifier updater reporter requester submitter"
    " uploader responsible supervisor operator issuer inspector".split()
)


_DOING = frozenset(
    "create created creator write writer written update updated modify modified edit edited owner delete deleted".split()
)
_ABOVE = frozenset("parent up superior".split())
# words of numbers, whatever entity is called so
_PLAINLY = 8  # fields that are called so, of a model that calls them so
_NUMBERS = frozenset(
    "sequence priority position order number level weight quantity amount rate count width height version".split()
)


def _counts(words: tuple[str, ...]) -> bool:
    """Whether a whole number of this name is one that means something by itself: a sequence, a priority."""
    return any(one.whole and INTEGERS & one.concept.types for one in matching(words))


@dataclass(frozen=True, slots=True)
class Proposal:
    """A relationship that is probably meant, with the guess that led to it."""

    relation: Relation
    guess: Guess


def propose_relations(world: World) -> tuple[Proposal, ...]:
    """Every undeclared relationship that names and types speak for, the surest one for each column."""
    targets = _Targets(world)
    found = []
    for entity in world.entities:
        taken = {column for relation in entity.relations for column in relation.columns}
        names = {relation.name for relation in entity.relations} | set(entity.field_names)
        for field in entity.fields:
            if (
                field.name in taken
                or field.generated
                or field.identity
                or ((field.name,) == entity.key and not _ends_in_id(world.written(field.name)))
            ):
                continue
            best = targets.best(entity, field)
            if best is None:
                continue
            target, column, guess, stem = best
            if not _is_given(entity, field.name, target, column):
                continue  # what rows hold that were given by hand is no key of that entity
            name = stem if stem not in names and stem else field.name
            names.add(name)
            relation = Relation(
                name=name, entity=entity.name, columns=(field.name,), target=target.name, target_columns=(column,),
                place=field.place, guess=guess,
            )  # fmt: skip
            found.append(Proposal(relation, guess))
    return tuple(found)


def _is_given(entity: Entity, column: str, target: Entity, key: str) -> bool:
    """Whether all that fixed rows give for a column are keys that fixed rows of the target have."""
    held = {text for row in entity.fixed for name, text in row if name == column and text is not None}
    known = {text for row in target.fixed for name, text in row if name == key}
    numbered = {str(number) for number in range(1, len(target.fixed) + 1)} if not known else set()
    return held <= known | numbered or bool(entity.fixed_places)  # a world file speaks of rows that it knows


def likely_relations(world: World) -> tuple[dict[str, list[Relation]], dict[str, list[Relation]]]:
    """Undeclared relationships by entity: those that are likely enough to be kept, and those that are only told.

    A model that declares no foreign key at all leaves them to its application, so there a column that is called like an entity is
    one. Where some are declared, a column has to say that it holds a key.
    """
    none_declared = not any(entity.relations for entity in world.entities)
    kept: dict[str, list[Relation]] = defaultdict(list)
    told: dict[str, list[Relation]] = defaultdict(list)
    chosen = {entity.name: list(entity.relations) for entity in world.entities}
    for proposal in propose_relations(world):
        relation = proposal.relation
        likely = proposal.guess.confidence >= (0.5 if none_declared else _SURE) and not _circular(relation, chosen, world)
        (kept if likely else told)[relation.entity].append(relation)
        if likely:
            chosen[relation.entity].append(relation)
    return kept, told


def relate_undeclared(world: World) -> World:
    """The world with its likely relationships."""
    kept, _ = likely_relations(world)
    return replace(
        world,
        entities=tuple(replace(e, relations=(*e.relations, *kept[e.name])) if e.name in kept else e for e in world.entities),
    )


def _circular(relation: Relation, chosen: dict[str, list[Relation]], world: World) -> bool:
    """Whether a required reference would close a circle of required ones, or refer to its own entity: then it is only named."""
    if _may_be_missing(world.entity(relation.entity), relation.columns[0]):
        return False

    def required(name: str) -> list[str]:
        entity = world.entity(name)
        return [one.target for one in chosen[name] if not any(_may_be_missing(entity, column) for column in one.columns)]

    return leads_to(relation.target, relation.entity, required)


def _may_be_missing(entity: Entity, column: str) -> bool:
    """Whether a column may be null, and no check asks whether it is."""
    asked = re.compile(rf"\b{re.escape(column)}\b\W*\s+is\s+(not\s+)?null", re.IGNORECASE)
    return entity.field(column).nullable and not any(asked.search(check.expression) for check in entity.checks)


def _table_name(written: str) -> str:
    """The name of a table without what says only that it is one: `tbl_`."""
    return "_".join(without_prefix(folded(written).split("_")))


def _ends_in_id(written: str) -> bool:
    words = folded(written).split("_")
    return len(words) > 1 and words[-1] in _SURE_ENDS


_NO_NOUN = re.compile(r"_(entity|entities|models?|records?)$")  # what says only that rows are kept: workflow_entity


class _Targets:
    """Entities by the words that a column may call them."""

    def __init__(self, world: World) -> None:
        self._by_word: dict[str, list[Entity]] = defaultdict(list)
        self._by_part: dict[str, list[Entity]] = defaultdict(list)
        self._persons: dict[str, Entity] = {}
        self._world = world
        names = _without_common({entity.name: _table_name(self._written(entity)) for entity in world.entities})
        self._parts = {entity: name.partition("_")[0] for entity, name in names.items()}
        parts = Counter(self._parts.values())
        for entity in world.entities:
            whole, name = folded(self._written(entity)), _table_name(self._written(entity))
            for word in {whole, name, names[entity.name], _NO_NOUN.sub("", name)}:
                for form in {word, _singular(word)}:
                    self._by_word[form].append(entity)
                if _singular(word) in _USERS or _singular(word) in PERSONS:
                    self._persons[_singular(word)] = entity
            part, _, rest = names[entity.name].partition("_")
            for form in {rest, _singular(rest)} - {""} if parts[part] > 1 else ():
                self._by_part[form.replace("_", "")].append(entity)
            if parts[part] > 1 and _singular(rest) == "user":
                self._persons.setdefault(_singular(rest), entity)

    def _written(self, entity: Entity) -> str:
        """The name of a table as it is written, without its schema."""
        return self._world.written(entity.name.rpartition(".")[2])

    def _acting(self, field: Field, words: list[str], stem: str, sure: bool) -> Entity | None:
        """The one entity of persons that `created_by`, or `owner_id`, can mean; None where there is none, or no telling which."""
        words = words[:-1] if sure and words[-1] in _SURE_ENDS else words  # created_by_id
        acted = len(words) > 1 and words[-1] == "by" and words[-2].endswith(("ed", "en", "t"))
        if not acted and not (sure and stem in _ROLES):
            return None
        fitting = {word: e for word, e in self._persons.items() if len(e.key) == 1 and _same_kind(field, e.field(e.key[0]), sure)}
        users = {fitting[word].name: fitting[word] for word in _USERS if word in fitting}
        every = users or {entity.name: entity for entity in fitting.values()}
        return next(iter(every.values())) if len(every) == 1 else None

    def _called(self, stem: list[str]) -> Iterator[tuple[int, str]]:
        """What the stem may call an entity: all of it, its last words, or the end of its only word; with what is left over."""
        for start in range(len(stem)):
            yield start, "_".join(stem[start:])
            if start == 0 and len(stem) > 1:
                yield start, "".join(stem)
        if len(stem) == 1:
            for start in range(1, len(stem[0]) - 3):
                yield start, stem[0][start:]

    def _of_a_part(self, entity: Entity, field: Field, stem: str, end: str) -> tuple[Entity, str] | None:
        """The entity that a column calls without the part of the application that it is of: `user_id` of `auth_user`."""
        own = _singular(_table_name(self._written(entity)))
        if stem in (own.replace("_", ""), own.partition("_")[2].replace("_", "")):
            return None  # its own number
        every = [(one, key) for one in self._by_part.get(stem, ()) if (key := _key_for(one, field, end)) is not None]
        near = [(one, key) for one, key in every if self._parts[one.name] == self._parts[entity.name]]
        head = [(one, key) for one, key in every if self._parts[one.name] == stem]  # party_party, the first of its part
        return next((those[0] for those in (near, head, every) if len(those) == 1), None)

    def _plainly_called(self, entity: Entity, field: Field, stem: list[str]) -> tuple[Entity, str] | None:
        """The entity that a whole number is called by, or by its last words, without the part that it is of, in a model that
        calls them so: `party` is a row of party_party, `delivery_address` one of party_address. What tells a number is none."""
        if not self._calls_plainly or stem[-1] in _NUMBERS or _singular(stem[-1]) != stem[-1]:
            return None
        if "_".join(stem) in _ABOVE and (key := _key_for(entity, field, "id")) not in (None, field.name):
            return entity, str(key)
        for target in self._by_word.get(
            f"{_table_name(self._written(entity))}_{'_'.join(stem)}", ()
        ):  # the group of a tax is a tax group
            if (key := _key_for(target, field, "id")) is not None:
                return target, key
        for start in range(len(stem)):
            found = self._of_a_part(entity, field, "".join(stem[start:]), "id")
            if found is not None and (self._is_own(entity, found[0], stem[start:]) or not _counts(tuple(stem[start:]))):
                return found
        return None

    def _is_own(self, entity: Entity, target: Entity, stem: list[str]) -> bool:
        """Whether an entity is of the same part as another, or the first of its own, party_party."""
        return self._parts[target.name] in ("".join(stem), self._parts[entity.name])

    @cached_property
    def _calls_plainly(self) -> bool:
        """Whether no reference is declared, and several whole numbers are called as entities are without their part."""
        if any(entity.relations for entity in self._world.entities):
            return False
        called = 0
        for entity in self._world.entities:
            for field in entity.fields:
                word = folded(self._world.written(field.name))
                if field.type.name in INTEGERS and word not in _NUMBERS and word.replace("_", "") in self._by_part:
                    found = self._of_a_part(entity, field, word.replace("_", ""), "id")
                    called += found is not None and self._is_own(entity, found[0], [word])
        return called >= _PLAINLY

    def best(self, entity: Entity, field: Field) -> tuple[Entity, str, Guess, str] | None:
        words = folded(self._world.written(field.name)).split("_")
        words = words if words[0] in ("fk", "pk") else without_prefix(words)
        if len(words) == 1 and words[0].endswith("id") and len(words[0]) > 4:
            words = [words[0][:-2], "id"]  # PostgreSQL keeps portId as portid
        end = words[-1] if len(words) > 1 and words[-1] in _ENDS else ""
        stem = words[:-1] if end else words[1:] if words[0] in ("id", "fk") and len(words) > 1 else words
        prefixed = not end and len(stem) < len(words)
        name = "_".join(stem)
        if name in _SELF and (end in _SURE_ENDS or prefixed):
            column = _key_for(entity, field, end)
            if column is not None and column != field.name:
                return entity, column, Guess(reason=f"'{field.name}' is another row of its own kind", confidence=0.8), name
        for start, word in self._called(stem):
            for target in self._by_word.get(word, ()):
                if target is entity and start == 0 and not end:
                    continue
                column = _key_for(target, field, end)
                if column is None or (target is entity and column == field.name):
                    continue
                if end in _SURE_ENDS or prefixed:
                    confidence = 0.9 if start == 0 else 0.75
                else:
                    confidence = 0.7 if end else 0.5 if start == 0 else 0.35
                if not end and not prefixed and (field.type.name not in INTEGERS | {TypeName.UUID} or target is entity):
                    continue
                reason = f"'{field.name}' names {target.name}, and its type is that of {target.name}.{column}"
                return target, column, Guess(reason=reason, confidence=confidence), name
        mark = _shared_mark(entity)
        called = "".join(stem[1:] if len(stem) > 1 and stem[0] == mark else stem)
        every = dict.fromkeys(("".join(stem), called)) if end in _SURE_ENDS else {}
        if (of_part := next(filter(None, (self._of_a_part(entity, field, one, end) for one in every)), None)) is not None:
            target, column = of_part
            reason = f"'{field.name}' names {target.name}, and its type is that of {target.name}.{column}"
            return target, column, Guess(reason=reason, confidence=0.75), name
        told = not end and not prefixed and field.type.name in (TypeName.INTEGER, TypeName.BIGINT)
        if told and (plain := self._plainly_called(entity, field, stem)) is not None:
            target, column = plain
            reason = f"'{field.name}' names {target.name}, the model declares no reference, and its type is that of its key"
            return target, column, Guess(reason=reason, confidence=0.55), ""
        if words[-1] == "uid" and len(words) > 1 and words[-2] in _DOING:
            words = [*words[:-2], "created", "by"]  # create_uid
        person = self._acting(field, words, called if stem[0] == mark else name, end in _SURE_ENDS or prefixed)
        if person is not None and not (person is entity and person.key == (field.name,)):
            reason = f"'{field.name}' is somebody, and {person.name} has persons, with keys of its type"
            return person, person.key[0], Guess(reason=reason, confidence=0.75), name if end or prefixed else ""
        return None


def _key_for(target: Entity, field: Field, end: str) -> str | None:
    """The column of the target that the field can hold: its key, or the unique column that the name's end speaks of."""
    if end and end not in _SURE_ENDS:
        for rule in target.unique_rules:
            if len(rule.columns) == 1 and folded(rule.columns[0]).endswith(end) and _alike(field, target.field(rule.columns[0])):
                return rule.columns[0]
        return None
    if len(target.key) == 1 and _alike(field, target.field(target.key[0])):
        return target.key[0]
    return None


def _same_kind(one: Field, key: Field, sure: bool) -> bool:
    """Whether a column holds keys of that type; a text that is not `sure` to hold a key might be somebody's name."""
    return _alike(one, key) and (sure or one.type.name in INTEGERS | {TypeName.UUID} or str(one.type) == str(key.type) != "text")


def _alike(one: Field, other: Field) -> bool:
    families = (INTEGERS, TEXTS | {TypeName.UUID})
    return one.type.name == other.type.name or any(one.type.name in family and other.type.name in family for family in families)


def singular_words(name: str) -> set[str]:
    """The words of an entity's name, folded, each without its plural's ending."""
    return {_singular(word) for word in folded(name.rpartition(".")[2]).split("_")}


def _singular(word: str) -> str:
    if word.endswith("ies"):
        return word[:-3] + "y"
    if re.search(r"(ses|xes|ches|shes)$", word):
        return word[:-2]
    return word[:-1] if word.endswith("s") and not word.endswith("ss") else word


def _without_common(names: dict[str, str]) -> dict[str, str]:
    """Names of tables without what those of an application begin with: `ttx_` of ttx_feed and ttx_entry."""
    while len(names) > 2:
        first, number = Counter(name.partition("_")[0] + "_" for name in names.values()).most_common(1)[0]
        if number <= 0.8 * len(names) or any(name == first for name in names.values()):
            break
        names = {entity: name.removeprefix(first) for entity, name in names.items()}
    return names


def _shared_mark(entity: Entity) -> str:
    """What most names of an entity's fields begin with."""
    first, number = Counter(folded(name).partition("_")[0] for name in entity.field_names).most_common(1)[0]
    return first if number >= 4 and number >= 0.6 * len(entity.fields) else ""
