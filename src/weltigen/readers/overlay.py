"""Putting a world file's wishes over a declared model: entities and references first, then what is wished for them."""

from __future__ import annotations

from dataclasses import replace

from ..model import Check, Cohort, Entity, Field, Relation, Unique, World
from ..model.problems import nearest
from ..values.vocabulary import WORD_LISTS, topics
from .drafts import name_relations
from .grammar import EntitySection
from .kept_as_texts import texts_as_said
from .sql import parse_type
from .understanding import dotted, find_relation, refers_to
from .wished_rows import RowWishes
from .yaml_tree import Path


class Overlay(RowWishes):
    """Applies the parts of one file to a world."""

    def apply(self, parts: dict[str, EntitySection]) -> World:
        """The world with every part applied. Entities and references are declared first, so order does not matter."""
        folded = {name.lower(): name for name in self.world.entity_names}
        by_name = {entity.name: entity for entity in self.world.entities}
        spelled = {}
        for name, part in parts.items():
            spelled[name] = folded.get(name.lower(), name)
            if spelled[name] in by_name:
                continue
            if part.key or any(f.type for f in part.fields.values()):
                place = self.tree.place(("entities", name))
                by_name[name] = Entity(name=name, fields=(), place=place)
            else:
                hint = nearest(name, self.world.entity_names) or "declare it: give its fields types"
                self.problem(("entities", name), f"entities.{name}: no entity of that name in the model", hint)
        known = {name: part for name, part in parts.items() if spelled[name] in by_name}
        for name, part in known.items():
            by_name[spelled[name]] = self._declare(by_name[spelled[name]], part, ("entities", name))
        for name, part in known.items():
            by_name[spelled[name]] = self._declare_references(by_name[spelled[name]], part, ("entities", name), by_name)
        self.world = replace(self.world, entities=tuple(by_name.values()))
        for name, part in known.items():
            by_name[spelled[name]] = self._wishes(by_name[spelled[name]], part, ("entities", name))
        return replace(self.world, entities=tuple(by_name.values()))

    def _declare(self, entity: Entity, part: EntitySection, path: Path) -> Entity:
        """Fields, key and unique rules that only this file declares."""
        fields = list(entity.fields)
        for name, wish in part.fields.items():
            here = (*path, "fields", name)
            if entity.has(name):
                if wish.type:
                    self.problem((*here, "type"), f"{entity.name}.{name} has a type already: {entity.field(name).type}")
            elif wish.type is None:
                self.problem(here, f"{dotted(path)}.fields.{name}: no field of that name", nearest(name, entity.field_names))
            else:
                try:
                    kind = parse_type(wish.type)
                except ValueError as error:
                    self.problem(
                        (*here, "type"),
                        str(error),
                        "as in: integer, numeric(10,2), varchar(60), date, timestamptz, uuid",
                    )
                    continue
                nullable = wish.null is not False and name not in (part.key or ())
                fields.append(Field(name=name, type=kind, nullable=nullable, default=wish.default, place=self.tree.place(here)))
        uniques = list(entity.uniques)
        uniques += [
            Unique(columns=tuple(columns), place=self.tree.place((*path, "unique", i))) for i, columns in enumerate(part.unique)
        ]
        for name, wish in part.fields.items():
            if wish.unique and not any(rule.columns == (name,) for rule in entity.unique_rules):
                uniques.append(Unique(columns=(name,), place=self.tree.place((*path, "fields", name, "unique"))))
        cohorts = tuple(Cohort(name=name, place=self.tree.place((*path, "cohorts", name))) for name in part.cohorts)
        for cohort in cohorts:
            if any(field.name == cohort.name for field in fields):
                here = (*path, "cohorts", cohort.name)
                self.problem(here, f"{entity.name} has a field of that name", "call the cohort otherwise")
        return replace(
            entity, fields=tuple(fields), key=tuple(part.key) if part.key else entity.key, uniques=tuple(uniques),
            cohorts=cohorts or entity.cohorts,
        )  # fmt: skip

    def _declare_references(self, entity: Entity, part: EntitySection, path: Path, known: dict[str, Entity]) -> Entity:
        relations, fields = list(entity.relations), list(entity.fields)
        for name, wish in part.references.items():
            if wish.to is None:
                continue
            here = (*path, "references", name)
            target = known.get(wish.to)
            if target is None:
                self.problem((*here, "to"), f"{dotted(here)}: no entity '{wish.to}'", nearest(wish.to, tuple(known)), value=True)
                continue
            columns = tuple(wish.columns or (f"{name}_id",))
            held = _held_columns(columns, target)
            if len(columns) != len(held):
                self.problem(
                    here,
                    f"{dotted(here)}: {len(columns)} columns cannot hold {wish.to}'s key ({', '.join(target.key)})",
                )
                continue
            for column, key in zip(columns, held, strict=True):
                if not any(f.name == column for f in fields):
                    nullable = wish.present is not None or wish.tree is not None
                    fields.append(Field(name=column, type=target.field(key).type, nullable=nullable, place=self.tree.place(here)))
            relations.append(Relation(name=name, entity=entity.name, columns=columns, target=target.name,
                                      target_columns=held, place=self.tree.place(here)))  # fmt: skip
        entity = replace(entity, relations=name_relations(relations, (field.name for field in fields)), fields=tuple(fields))
        for rule, columns, place_path in [
            ("key", entity.key, "key"),
            *((str(u), u.columns, "unique") for u in entity.uniques),
        ]:
            for column in columns:
                if not entity.has(column):
                    self.problem(
                        (*path, place_path),
                        f"{entity.name}: {rule} names '{column}', which is not a field",
                        nearest(column, entity.field_names),
                    )
        return entity

    def _wishes(self, entity: Entity, part: EntitySection, path: Path) -> Entity:
        entity = texts_as_said(entity, part)
        relations = {relation.name: relation for relation in entity.relations}
        for name, wish in part.references.items():
            found = find_relation(entity, name)
            if found is None:
                self.problem(
                    (*path, "references", name),
                    f"{dotted(path)}.references.{name}: no relationship of that name",
                    refers_to(entity, name),
                )
            else:
                relations[found.name] = self.reference(entity, relations[found.name], wish, (*path, "references", name))
        fields = [
            self.field(entity, f, part.fields[f.name], (*path, "fields", f.name)) if f.name in part.fields else f
            for f in entity.fields
        ]
        checks = list(entity.checks)
        for number, text in enumerate(part.checks):
            here = (*path, "checks", number)
            if self.expression(entity, text, here):
                checks.append(Check(expression=text, place=self.tree.place(here)))
        cohorts = tuple(self.cohort(entity, name, wish, (*path, "cohorts", name)) for name, wish in part.cohorts.items())
        if part.topic is not None and part.topic not in topics():
            self.problem((*path, "topic"), f"no topic is called '{part.topic}'", nearest(part.topic, tuple(topics())), value=True)
        words = part.words if isinstance(part.words, dict) else {}
        for name, listed in words.items():
            if name not in WORD_LISTS:
                self.problem((*path, "words", name), f"no list of words is called '{name}'", nearest(name, WORD_LISTS))
            elif not any(word.strip() for word in listed):
                self.problem((*path, "words", name), "this list has no words", "a word at least, or no list", value=True)
        if part.label is not None:
            self.expression(entity, part.label, (*path, "label"))
        return replace(
            entity, rows=self.rows(entity, part.rows, (*path, "rows")), fields=tuple(fields), checks=tuple(checks),
            relations=tuple(relations.values()), label=part.label or entity.label, topic=part.topic or entity.topic,
            topic_is_guessed=entity.topic_is_guessed and part.topic is None, cohorts=cohorts or entity.cohorts,
            words=tuple((name, tuple(w.strip() for w in listed if w.strip())) for name, listed in words.items()) or entity.words,
            states=self.states(entity, part.states, (*path, "states")) or entity.states,
            fixed=self.fixed(entity, part.fixed, (*path, "fixed")),
            fixed_places=entity.fixed_places if part.fixed is None
            else tuple(self.tree.place((*path, "fixed", number)) for number in range(len(part.fixed))),
        )  # fmt: skip


def _held_columns(columns: tuple[str, ...], target: Entity) -> tuple[str, ...]:
    """The target's columns that a reference holds: its key, or the one unique column that the reference's own is named after."""
    if len(columns) == 1 and columns[0] not in target.key:
        for rule in target.unique_rules:
            if (
                len(rule.columns) == 1
                and rule.columns != target.key
                and columns[0].lower().endswith(f"_{rule.columns[0].lower()}")
            ):
                return rule.columns
    return target.key
