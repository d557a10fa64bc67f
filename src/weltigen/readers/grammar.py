"""The world file's grammar, as pydantic models: they check its form and make its JSON Schema."""

from __future__ import annotations

from typing import Annotated, Any
from typing import Literal as OneOf

from pydantic import BeforeValidator, Discriminator, Field, Tag, WithJsonSchema

from ..model.literals import read_share
from .choices import ChoiceKeys
from .field_sections import FieldSection, PresentSection
from .sections import (
    Expression,
    Integer,
    Literal,
    Mapping,
    Natural,
    Number,
    RowCountText,
    Section,
    Share,
    Span,
    Weight,
    _form,
    either,
    number_,
    whole_number,
)


class CountSection(Section):
    """A number of rows for each row of an owner, which the entity refers to."""

    per: str | list[str] = Field(
        description="The reference to the owner, by its name or its target; of a list of them, one row for each combination."
    )
    each: Natural | None = Field(None, description="Exactly this many; cannot be combined with mean, least and most.")
    mean: Annotated[float, BeforeValidator(number_), Field(ge=0)] | None = Field(
        None, description="So many on average, over all owners."
    )
    least: Natural | None = Field(None, description="The fewest of an owner that has any; 0, or 1 where `none` is given.")
    most: Natural | None = Field(None, description="The most of any owner; four times the mean when not given.")
    none: Share = Field(0.0, description="The share of owners without any.")
    every: Span | None = Field(None, description="One for each such span of the window: `1 hour`, `P1D`; stands alone.")


class SpreadSection(Section):
    """A number of rows for each row that a reference goes to, though the rows belong to another owner, or to none."""

    mean: Annotated[float, BeforeValidator(number_), Field(ge=0)] | None = Field(
        None, description="So many on average; only to say what must come out, since it follows from the rows there are."
    )
    least: Natural | None = Field(None, description="The fewest of a target that has any; 0, or 1 where `none` is given.")
    most: Natural | None = Field(None, description="The most of any target; four times the average when not given.")
    none: Share = Field(0.0, description="The share of targets without any.")


def _roots(text: Any) -> Any:
    """A number of rows, or a share with its percent sign."""
    if isinstance(text, str) and text.endswith("%"):
        return read_share(text)
    number = whole_number(text)
    if isinstance(number, int) and number < 1:
        raise ValueError(f"{number} roots: a tree has one at least")
    return number


Roots = Annotated[int | float, BeforeValidator(_roots),
                  WithJsonSchema({"anyOf": [{"type": "integer", "minimum": 1},
                                            {"type": "string", "pattern": r"^[0-9.]+%$"}]})]  # fmt: skip


class TreeSection(Section):
    """The form of a reference to the entity itself."""

    roots: Roots = Field(1, description="Rows without a parent: a number, or a share of the rows, `2%`.")
    depth: Annotated[int, BeforeValidator(whole_number), Field(ge=1)] | None = Field(
        None, description="The most levels, roots counted."
    )
    most: Annotated[int, BeforeValidator(whole_number), Field(ge=1)] | None = Field(
        None, description="The most children of a row."
    )


class FavourSection(Section):
    """Some targets are referred to more often than others."""

    few: Share = Field(0.20, description="This share of the targets …")
    take: Share = Field(0.50, description="… takes this share of the references.")


class ReferenceSection(ChoiceKeys):  # type: ignore[valid-type, misc]
    """One reference, called by its column without `_id`, or by its target where only one goes there."""

    to: str | None = Field(None, description="The entity referred to; only where the model declares no such reference.")
    columns: list[str] | None = Field(
        None,
        description="The columns that hold its key, or its unique `code` where one is called NAME_code; NAME_id when not given.",
    )
    favour: either(str, FavourSection) | None = Field(  # type: ignore[valid-type]
        None, description="`even`, or which share takes which; `{few: 20%, take: 50%}` when not given, `even` for fixed rows."
    )
    unlike: str | None = Field(None, description="Another reference to the same target, from which this one always differs.")
    on_delete: str | None = Field(
        None,
        description="What a delete of the target's row does: `cascade`, `restrict`, `set null`; where the model does not say.",
    )
    present: either(Expression, PresentSection) | None = Field(  # type: ignore[valid-type]
        None, description="A share, or when exactly the reference is there, or both; 90% for one that may be null."
    )
    same: list[str] | None = Field(
        None,
        description="Where another way from the row leads, the target leads too: `[port]`, the way `[sailing.port]`, or "
        "`[sailing.port = berth.port]`.",
    )
    where: Expression | None = Field(
        None,
        description="Only rows of the target for which this is true are referred to; in `species = row.species`, `row` is the "
        "referring row.",
    )
    weights: dict[str, Weight] | None = Field(
        None, description="Fixed rows of the target by key or another unique field, each as often as it says."
    )
    rows: SpreadSection | None = Field(None, description="A number of rows for each row of the target.")
    tree: TreeSection | None = Field(None, description="Of a reference to the entity itself: roots, levels, children of a row.")


_WHEN = "For rows where this is true, and no case before it was; without it, for all others."


class ChildrenSection(Section):
    """A number of rows for each row of a cohort."""

    by: str | None = Field(None, description="The reference by which they belong to it, where there is more than one.")
    each: Natural | None = Field(None, description="Exactly this many; cannot be combined with mean, least and most.")
    mean: Annotated[float, BeforeValidator(number_), Field(ge=0)] | None = Field(None, description="So many on average.")
    least: Natural | None = Field(None, description="The fewest of a row that has any; 0, or 1 where `none` is given.")
    most: Natural | None = Field(None, description="The most of any row; four times the mean when not given.")
    none: Share = Field(0.0, description="The share of the cohort's rows without any.")


class CohortSection(Section):
    """A named part of an entity's generated rows, with settings of its own; exact to the row."""

    share: Share | None = Field(None, description="A share of the generated rows; this, or `rows`.")
    rows: Natural | None = Field(None, description="So many of the generated rows.")
    fields: Mapping[FieldSection] = Field(default_factory=dict, description="What is different in its fields.")
    references: Mapping[ReferenceSection] = Field(
        default_factory=dict, description="What is different in its references: favour, weights, present, where."
    )
    children: dict[str, either(Natural, ChildrenSection)] = Field(  # type: ignore[valid-type]
        default_factory=dict, description="By entity: how many rows each of its rows gets, `20`, or `{mean: 20, most: 60}`."
    )


class StatesSection(Section):
    """How a field goes from state to state, told by rows of another entity."""

    field: str = Field(description="The field that holds the state which is reached.")
    history: str = Field(description="The entity with a row for each state of a row; it refers to this one, and says when.")
    start: dict[str, Weight] = Field(description="The states in which rows begin, each as often as its weight says.")
    steps: dict[str, dict[str, Weight]] = Field(
        default_factory=dict,
        description="From each state the states that may follow, by weight; a state without steps is an end, a step to itself "
        "means that it stays.",
    )
    lasts: dict[str, Span] = Field(default_factory=dict, description="How long a state lasts on average; a day when not given.")


class EntitySection(Section):
    """One entity."""

    rows: either(RowCountText, CountSection) | None = Field(  # type: ignore[valid-type]
        None,
        description="Generated rows: a number in all, a number for each owner, or an expression over the rows of others: "
        "`2 * count(port)`. Follows from the model when not given.",
    )
    fixed: (
        Annotated[Annotated[list[dict[str, Literal | None]], Tag("list")] | Annotated[str, Tag("scalar")], Discriminator(_form)]
        | None
    ) = Field(None, description="Rows given by hand, or a CSV file of them; fields left out are generated. They come first.")
    label: Expression | None = Field(
        None, description="How a row is shown where others refer to it: SQL text, `name || ', ' || port.name`."
    )
    references: Mapping[ReferenceSection] = Field(default_factory=dict, description="By name.")
    fields: Mapping[FieldSection] = Field(default_factory=dict, description="By name.")
    cohorts: Mapping[CohortSection] = Field(
        default_factory=dict,
        description="By name: parts of the rows with settings of their own. Cohorts that set the same thing share no row. In "
        "expressions a cohort's name is true for its rows.",
    )
    states: StatesSection | None = Field(
        None,
        description="The states through which its rows go, with a history. Weights of the field itself say where they end.",
    )
    checks: list[Expression] = Field(default_factory=list, description="More conditions that every row keeps, in SQL.")
    topic: str | None = Field(None, description="What its texts and names speak of: see `weltigen kinds --topics`.")
    words: (
        Annotated[Annotated[dict[str, list[str]], Tag("mapping")] | Annotated[str, Tag("scalar")], Discriminator(_form)] | None
    ) = Field(
        None,
        description="Words of its trade instead of the topic's, by list: `{names: [Rope clip, Bell], parts: [rope]}`, or a CSV "
        "file beside this one with a column for each list.",
    )
    key: list[str] | None = Field(None, description="The primary key; only where the model declares none.")
    unique: list[list[str]] = Field(default_factory=list, description="More unique rules, each a list of fields.")


class KindSection(Section):
    """A kind of value of your own: some texts."""

    values: list[Literal] | None = Field(None, description="The values, each as likely as another.")
    weights: dict[str, Weight] | None = Field(None, description="The values, each as often as its weight says.")


class WorldSection(Section):
    """The whole file."""

    weltigen: Integer = Field(description="The format version, 3: it fixes the bytes that a seed gives.")
    model: str | None = Field(
        None, description="The model that is filled: an SQL file, another world file, or an SQLite file, beside this file."
    )
    dialect: str | None = Field(None, description="The SQL dialect of the model; guessed when not given.")
    seed: Integer = Field(1, description="The seed of all values.")
    now: Literal | None = Field(None, description="The time that `now` in the window stands for.")
    window: Annotated[list[Literal], Field(min_length=2, max_length=2)] | None = Field(
        None,
        description="When the world lives: its first moment and the one after its last, UTC; `[2024-01-01, 2026-01-01]`.",
    )
    same: list[str] = Field(
        default_factory=list,
        description="Entities to which every way from a row ends in the same row: a tenant, an operator.",
    )
    protected: list[Literal] | None = Field(
        None,
        description="Words that keep a database safe: one whose name or host holds one is never written to; "
        "prod, production and live when not given.",
    )
    language: either(str, dict[str, Number]) | None = Field(  # type: ignore[valid-type]
        None,
        description="The language of names, places and texts (BCP 47), as in de-DE: en, de, fr, es; names and places also in it, "
        "nl, pl, pt, sv, ja, el, ar, hi. Places lie in the country that the tag names. Guessed from the model's names when not "
        "given, else en-GB. Several with their weights, `{de-DE: 60, fr-FR: 30, en-GB: 10}`: each row is in one of them.",
    )
    places: OneOf["real", "invented"] = Field(
        "real", description="Towns are those of the world; invented: they are made up, as persons, streets and firms are."
    )
    kinds: dict[str, either(str, KindSection)] = Field(  # type: ignore[valid-type]
        default_factory=dict,
        description="Kinds of value of your own, by name: a function in Python, `FILE.py:FUNCTION`, a CSV file whose first "
        "column holds values and whose column `weight` their weights, or `{values: [one, another]}`.",
    )
    password: Literal | None = Field(
        None, description="What the fields that hold passwords are hashed from; two words made from the seed when not given."
    )
    guesses: OneOf["full", "plain"] = Field(
        "full", description="plain: kinds by name and type alone; no fields that belong together, no shapes."
    )
    entities: Mapping[EntitySection] = Field(default_factory=dict, description="By name.")


# words that other people would write, and ours
SYNONYMS = {
    "tables": "entities", "models": "entities", "columns": "fields", "attributes": "fields", "count": "rows", "number": "rows",
    "relations": "references", "relationships": "references", "version": "weltigen", "schema": "model", "source": "model",
    "type_of": "kind", "format": "kind", "value": "const", "constant": "const", "regex": "pattern", "choices": "weights",
    "values": "enum", "distribution": "shape", "min": "minimum", "max": "maximum", "nullable": "null", "probability": "present",
    "rate": "present", "average": "mean", "at_least": "least", "at_most": "most", "exactly": "each", "primary_key": "key",
    "rules": "checks", "constraints": "checks", "locale": "language", "static": "fixed", "data": "fixed", "target": "to",
}  # fmt: skip


def json_schema() -> dict[str, Any]:
    """The grammar as a JSON Schema (2020-12)."""
    schema = WorldSection.model_json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "A Weltigen world file"}
