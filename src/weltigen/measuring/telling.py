"""What of a measured column may be told: no value of a person, of a free text or of a column that nobody understands.

Values of categories stand in a world file only where somebody declared them, or where they are words that we ourselves have for
such columns. All others keep their weights and lose their values: `value-1`, `value-2`.
"""

from __future__ import annotations

import re
from functools import lru_cache

from ..infer.concepts import known_values
from ..infer.states import known_states
from ..model import Entity, Field, KindSource
from ..model.types import NUMBERS, TypeName
from ..values.people import names_of
from ..values.person_names import folded_names
from ..values.registry import LANGUAGES

_PERSONAL = frozenset(
    "name given-name family-name other-person nickname initials username email tel bday gender salutation honorific-prefix "
    "additional-name street-address address-line1 address-line2 house-number postal-code town place-name latitude longitude iban "
    "bic card-number organization password hashed-password token national-id tax-number vat-number ipv4 ipv6 mac-address "
    "number-plate job-title signature uuid".split()
)
_TEXTS = frozenset("text remark notice term thing-name json uri url-path file-name file-path kept-file octets image".split())
_SMALL = 100  # whole numbers up to this tell of nobody


def is_personal(field: Field) -> bool:
    """Whether a field is about somebody, or a secret."""
    kind = field.source.kind if isinstance(field.source, KindSource) else field.means
    return bool(field.secret) or kind in _PERSONAL


def is_free_text(field: Field) -> bool:
    return isinstance(field.source, KindSource) and field.source.kind in _TEXTS


def told_values(entity: Entity, field: Field, values: tuple[str, ...]) -> tuple[str, ...] | None:
    """The values as a world file may hold them; None where it may hold nothing in their place."""
    declared = {*(field.type.values or ()), *(value for one in field.limits.allowed for value in one.values)}
    if field.default is not None:
        declared.add(field.default.strip("'\""))
    if field.type.name is TypeName.BOOLEAN or all(value in declared for value in values):
        return values
    if field.type.name in NUMBERS:
        small = all(value.lstrip("-").isdigit() and abs(int(value)) <= _SMALL for value in values)
        return values if small else None
    if declared - values_by_default(field) or field.limits.patterns:
        return None  # only what is declared can stand there
    out = [value if value in declared or is_known(value) else f"value-{number}" for number, value in enumerate(values, 1)]
    room = field.room
    if len(set(out)) < len(out) or (room is not None and max(map(len, out)) > room):
        return None
    return tuple(out)


def values_by_default(field: Field) -> set[str]:
    return {field.default.strip("'\"")} if field.default is not None else set()


def told_form(form: str) -> str | None:
    """The form of codes as a world file may hold it: what all of them begin with is nobody's name."""
    mark = (re.match(r"[A-Z]+", form) or [""])[0]
    return None if mark and folded_names(mark) in _names() else form


@lru_cache(maxsize=4096)
def is_known(value: str) -> bool:
    """Whether a text is one that we have for categories, and nobody's name."""
    plain = value.strip().lower().replace("_", " ").replace("-", " ")
    return plain in _known() and not any(folded_names(word) in _names() for word in plain.split())


@lru_cache(maxsize=1)
def _known() -> frozenset[str]:
    return frozenset(value.lower().replace("_", " ").replace("-", " ") for value in known_values() | known_states())


@lru_cache(maxsize=1)
def _names() -> frozenset[str]:
    return frozenset(folded_names(name) for tag in LANGUAGES for part in ("given", "family") for name in names_of(tag, part))
