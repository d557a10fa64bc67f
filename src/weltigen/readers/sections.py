"""What the sections of a world file are made of: scalars as they are written, one form or another, no unknown keys."""

from __future__ import annotations

from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, BeforeValidator, ConfigDict, Discriminator, Field, Tag, WithJsonSchema

from ..model.literals import read_share, read_span

_ANY_SCALAR = {"type": ["string", "number", "boolean"]}


def _check(read: Any) -> Any:
    def keep(text: str) -> str:
        read(text)
        return text

    return keep


def whole_number(text: Any) -> Any:
    if isinstance(text, str):
        try:
            return int(text.replace("_", ""))
        except ValueError:
            raise ValueError(f"'{text}' is not a whole number") from None
    return text


def _row_count(text: Any) -> Any:
    """A whole number, or the text of an expression."""
    if not isinstance(text, str):
        return text
    try:
        float(text)
    except ValueError:
        return text
    number: int = whole_number(text)
    if number < 0:
        raise ValueError(f"{number} rows cannot be")
    return number


def number_(text: Any) -> Any:
    if isinstance(text, str):
        try:
            return float(text)
        except ValueError:
            raise ValueError(f"'{text}' is not a number") from None
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
Integer = Annotated[int, BeforeValidator(whole_number)]
Natural = Annotated[int, BeforeValidator(whole_number), Field(ge=0)]
RowCountText = Annotated[int | str, BeforeValidator(_row_count),
                         WithJsonSchema({"anyOf": [{"type": "integer", "minimum": 0}, {"type": "string"}]})]  # fmt: skip
Number = Annotated[float, BeforeValidator(number_)]
Weight = Annotated[float, BeforeValidator(number_), Field(ge=0)]
Truth = Annotated[bool, BeforeValidator(_truth)]


def _form(value: Any) -> str:
    return "mapping" if isinstance(value, dict | BaseModel) else "list" if isinstance(value, list) else "scalar"


def either(scalar: Any, mapping: Any, listed: Any = None) -> Any:
    parts = Annotated[scalar, Tag("scalar")] | Annotated[mapping, Tag("mapping")]
    return Annotated[parts if listed is None else parts | Annotated[listed, Tag("list")], Discriminator(_form)]


def one_or_list(mapping: Any, listed: Any) -> Any:
    return Annotated[Annotated[mapping, Tag("mapping")] | Annotated[listed, Tag("list")], Discriminator(_form)]


def one_or_several(scalar: Any) -> Any:
    """A scalar, or a list of such."""
    return Annotated[Annotated[scalar, Tag("scalar")] | Annotated[list[scalar], Tag("list")], Discriminator(_form)]


def filled(mapping: Any) -> Any:
    """A key with nothing but comments behind it is an empty mapping."""
    if mapping is None:
        return {}
    return {key: {} if value is None else value for key, value in mapping.items()} if isinstance(mapping, dict) else mapping


_Part = TypeVar("_Part")
Mapping = Annotated[dict[str, _Part], BeforeValidator(filled)]


class Section(BaseModel):
    """A mapping of the file; a key that is not in the grammar is an error."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)
