"""What a world file says of a field: the part of the grammar that is about one."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from .sections import (
    Expression,
    Integer,
    Literal,
    Natural,
    Number,
    Section,
    Share,
    Span,
    Truth,
    Weight,
    either,
    number_,
    one_or_list,
    one_or_several,
)


class WeightsCase(Section):
    """Weights for some of the rows."""

    when: Expression | None = Field(
        None, description="For rows where this is true, and no case before it was; else for all others."
    )
    of: dict[str, Weight] = Field(description="The values, each as often as its weight says.")


Shapes: Any = dict[str, one_or_list(dict[str, Number], list[Number])]  # type: ignore[misc]


class ShapeCase(Section):
    """A shape for some of the rows."""

    when: Expression | None = Field(
        None, description="For rows where this is true, and no case before it was; else for all others."
    )
    of: either(str, Shapes) = Field(description="The shape.")  # type: ignore[valid-type]


Kinds: Any = dict[str, dict[str, Literal]]


class KindCase(Section):
    """A kind for some of the rows."""

    when: Expression | None = Field(
        None, description="For rows where this is true, and no case before it was; else for all others."
    )
    of: either(str, Kinds) = Field(description="The kind, with its parameters.")  # type: ignore[valid-type]


class PresentSection(Section):
    """There in a share of the rows that keep a condition, and in no other."""

    when: Expression = Field(description="A condition over the row and rows it refers to.")
    share: Share = Field(description="So many of the rows that keep it have a value.")


class FollowsSection(Section):
    """The field rises, or falls, with another one."""

    field: str = Field(description="A number, date or time of the same row.")
    correlation: Annotated[float, BeforeValidator(number_), Field(ge=-1, le=1)] = Field(
        description="Spearman's rank correlation, -1 to 1."
    )


_WITHIN = (
    "At most so far from the field that after, before, minimum or maximum names; of several, that of the one that stands before "
    "it: `90 days`, `P90D`. Whole numbers count seconds."
)


class FieldSection(Section):
    """One field: at most one source of values (kind, const, compute, pattern, weights, shape), and its limits."""

    kind: either(str, Kinds, list[KindCase]) | None = Field(  # type: ignore[valid-type]
        None,
        description="A kind of value, as `email`, or with parameters: `{slug: {of: name}}`. `weltigen kinds` lists them. "
        "Or kinds by case, as for weights.",
    )
    const: Literal | None = Field(None, description="The same value in every row.")
    compute: Expression | None = Field(
        None,
        description="The value of an SQL expression over the row, rows it refers to (`fare.price * (1 - discount)`), and rows "
        "that refer to it (`sum(ticket.price)`, `count(ticket) FILTER (WHERE …)`).",
    )
    pattern: str | None = Field(None, description="A regular expression that the whole text matches.")
    weights: one_or_list(dict[str, Weight], list[WeightsCase]) | None = Field(  # type: ignore[valid-type]
        None,
        description="The values, each as often as its weight says; or such weights by case: "
        "`[{when: \"status = 'paid'\", of: {…}}, {of: {…}}]`.",
    )
    shape: either(str, Shapes, list[ShapeCase]) | None = Field(  # type: ignore[valid-type]
        None,
        description="Of numbers: `even`, `{normal: {mean, sd}}`, `{skewed: {median, p95}}`, `{exponential: {mean}}`, "
        "`{triangular: {low, peak, high}}`, `{humps: {first, second, sd, share}}` of which a share is about the first, "
        "`{zipf: {exponent, most}}` of ranks from 1 to `most`, `{quantiles: [least, …, greatest]}` at even distances, "
        "`{steps: {0: 30, 10: 70, 50: 0}}` of which 30 lie from 0 to 10 and 70 from there to 50; or by case, as for weights.",
    )
    properties: dict[str, Any] | None = Field(
        None,
        description="Of JSON, also in a text: what its objects hold, in words of JSON Schema, with `kind` beside `type`: "
        "`{id: {kind: uuid}, tags: {items: {enum: [new, old]}}, score: {type: number, minimum: 0, maximum: 10}}`.",
    )
    required: list[str] | None = Field(None, description="Properties that are always there; others are in four of five rows.")
    items: dict[str, Any] | None = Field(
        None, description="Of JSON lists, and of arrays: the shape of each item, as one of `properties`."
    )
    min_items: Natural | None = Field(None, alias="minItems", description="The fewest items; 0 when not given.")
    max_items: Natural | None = Field(
        None,
        alias="maxItems",
        description="The most items; 3 when not given. Those of an `enum` do not repeat while there are enough.",
    )
    follows: one_or_list(FollowsSection, list[FollowsSection]) | None = Field(  # type: ignore[valid-type]
        None, description="Rises, or falls, with another number, date or time of the row; or with each of several."
    )
    minimum: one_or_several(Literal) | None = Field(  # type: ignore[valid-type]
        None, description="The least value: a value, a field, a field of a row referred to, `now`; or a list of such."
    )
    maximum: one_or_several(Literal) | None = Field(  # type: ignore[valid-type]
        None, description="The greatest value: a value, a field, a field of a row referred to, `now`; or a list of such."
    )
    exclusive_minimum: Literal | None = Field(None, alias="exclusiveMinimum", description="Values are greater than this.")
    exclusive_maximum: Literal | None = Field(None, alias="exclusiveMaximum", description="Values are less than this.")
    multiple_of: Literal | None = Field(None, alias="multipleOf", description="Values are multiples of this.")
    min_length: Natural | None = Field(None, alias="minLength", description="The fewest characters.")
    max_length: Natural | None = Field(None, alias="maxLength", description="The most characters.")
    enum: list[Literal] | None = Field(None, description="The only values allowed.")
    after: one_or_several(Expression) | None = Field(  # type: ignore[valid-type]
        None, description="Later than a value, a field, or a field of a row referred to; or than each of a list of such."
    )
    before: one_or_several(Expression) | None = Field(  # type: ignore[valid-type]
        None, description="Earlier than a value, a field, or a field of a row referred to; or than each of a list of such."
    )
    within: Span | None = Field(None, description=_WITHIN)
    usually: Span | None = Field(
        None,
        description="Beside `within`: the commonest distance, which most rows are near. Without it all distances are as common.",
    )
    loose: Truth | None = Field(
        None, description="Bounds that name a field, and `now`, give way in rows that have no room for them, as guesses do."
    )
    present: either(Expression, PresentSection) | None = Field(  # type: ignore[valid-type]
        None, description="A share, or when exactly there is a value, or both: `{when: …, share: …}`; 90% for a nullable field."
    )
    start: Integer | None = Field(None, description="Of keys that count up, and of whole numbers that are to: the first of them.")
    gaps: Share | None = Field(
        None, description="Of what counts up: the share of numbers that are left out, as where rows were deleted."
    )
    noise: Share | None = Field(
        None, description="So many of its values look mistyped: blanks, capitals, letters that changed places; a digit too many. "
        "None breaks a declared rule.",
    )  # fmt: skip
    extremes: Share | None = Field(
        None, description="So many of its values lie at the ends of what is allowed: the longest and the shortest texts, other "
        "scripts, quotes and markup; the least and the greatest numbers and days.",
    )  # fmt: skip
    secret: Truth | None = Field(None, description="Masked wherever rows are shown.")
    unique: Truth | None = Field(None, description="No two rows have the same value.")
    type: str | None = Field(None, description="An SQL type; only where the model declares no such field.")
    null: Truth | None = Field(None, description="Whether a field declared here may be null; it may when not said.")
    default: Literal | None = Field(None, description="The database's default of a field declared here.")
