"""The world file's grammar, as pydantic models: they check its form and make its JSON Schema."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Discriminator, Field, Tag, WithJsonSchema

from ..model.literals import read_share, read_span

_ANY_SCALAR = {"type": ["string", "number", "boolean"]}


def _check(read: Any) -> Any:
    def keep(text: str) -> str:
        read(text)
        return text

    return keep


def _integer(text: Any) -> Any:
    if isinstance(text, str):
        try:
            return int(text.replace("_", ""))
        except ValueError:
            raise ValueError(f"'{text}' is no whole number") from None
    return text


def _number(text: Any) -> Any:
    if isinstance(text, str):
        try:
            return float(text)
        except ValueError:
            raise ValueError(f"'{text}' is no number") from None
    return text


def _truth(text: Any) -> Any:
    if isinstance(text, str):
        if text.lower() not in ("true", "false"):
            raise ValueError(f"write true or false, not '{text}'")
        return text.lower() == "true"
    return text


Literal = Annotated[str, WithJsonSchema(_ANY_SCALAR)]
Expression = Annotated[str, WithJsonSchema({"type": "string", "description": "an SQL expression"})]
Share = Annotated[float, BeforeValidator(lambda t: read_share(t) if isinstance(t, str) else t),
                  WithJsonSchema({"anyOf": [{"type": "number", "minimum": 0, "maximum": 1},
                                            {"type": "string", "pattern": r"^[0-9.]+%$"}]})]  # fmt: skip
Span = Annotated[str, BeforeValidator(_check(read_span)), WithJsonSchema({"type": "string"})]
Integer = Annotated[int, BeforeValidator(_integer)]
Natural = Annotated[int, BeforeValidator(_integer), Field(ge=0)]
Number = Annotated[float, BeforeValidator(_number)]
Weight = Annotated[float, BeforeValidator(_number), Field(ge=0)]
Truth = Annotated[bool, BeforeValidator(_truth)]


def _form(value: Any) -> str:
    return "mapping" if isinstance(value, dict | BaseModel) else "list" if isinstance(value, list) else "scalar"


def _either(scalar: Any, mapping: Any) -> Any:
    return Annotated[Annotated[scalar, Tag("scalar")] | Annotated[mapping, Tag("mapping")], Discriminator(_form)]


class Part(BaseModel):
    """A mapping of the file; a key that is not in the grammar is an error."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class CountPart(Part):
    """So many rows for each row of an owner."""

    per: str
    each: Natural | None = None
    mean: Annotated[float, BeforeValidator(_number), Field(ge=0)] | None = None
    least: Natural | None = None
    most: Natural | None = None
    none: Share = 0.0


class FavourPart(Part):
    """`few` of the targets take `take` of the references."""

    few: Share = 0.20
    take: Share = 0.50


class ReferencePart(Part):
    """One reference, called by its column without `_id`, or by its target."""

    to: str | None = None
    columns: list[str] | None = None
    favour: _either(str, FavourPart) | None = None  # type: ignore[valid-type]
    unlike: str | None = None
    present: Expression | None = None


class FieldPart(Part):
    """One field: at most one source of values, and its limits."""

    kind: _either(str, dict[str, dict[str, Literal]]) | None = None  # type: ignore[valid-type]
    const: Literal | None = None
    pattern: str | None = None
    weights: dict[str, Weight] | None = None
    shape: _either(str, dict[str, dict[str, Number]]) | None = None  # type: ignore[valid-type]
    minimum: Literal | None = None
    maximum: Literal | None = None
    exclusive_minimum: Literal | None = Field(None, alias="exclusiveMinimum")
    exclusive_maximum: Literal | None = Field(None, alias="exclusiveMaximum")
    multiple_of: Literal | None = Field(None, alias="multipleOf")
    min_length: Natural | None = Field(None, alias="minLength")
    max_length: Natural | None = Field(None, alias="maxLength")
    enum: list[Literal] | None = None
    after: Expression | None = None
    before: Expression | None = None
    within: Span | None = None
    present: Expression | None = None
    secret: Truth | None = None
    unique: Truth | None = None
    type: str | None = None
    null: Truth | None = None
    default: Literal | None = None


class EntityPart(Part):
    """One entity."""

    rows: _either(Natural, CountPart) | None = None  # type: ignore[valid-type]
    fixed: (
        Annotated[
            Annotated[list[dict[str, Literal | None]], Tag("list")] | Annotated[str, Tag("scalar")],
            Discriminator(_form),
        ]
        | None
    ) = None
    label: Expression | None = None
    references: dict[str, ReferencePart] = Field(default_factory=dict)
    fields: dict[str, FieldPart] = Field(default_factory=dict)
    checks: list[Expression] = Field(default_factory=list)
    key: list[str] | None = None
    unique: list[list[str]] = Field(default_factory=list)


class WorldPart(Part):
    """The whole file."""

    weltigen: Integer
    model: str | None = None
    dialect: str | None = None
    seed: Integer = 1
    now: Literal | None = None
    window: Annotated[list[Literal], Field(min_length=2, max_length=2)] | None = None
    language: str = "en-GB"
    entities: dict[str, EntityPart] = Field(default_factory=dict)


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
    schema = WorldPart.model_json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "A Weltigen world file"}
