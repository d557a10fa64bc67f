"""Kinds of value, each a declaration in a registry, and the data they draw on."""

from . import (
    accounts,
    addresses,
    blobs,
    codes,
    courses,
    currencies,
    facts,
    files,
    geometry,
    identifiers,
    named_values,
    names,
    passwords,
    people,
    person_forms,
    places,
    plates,
    quantities,
    registers,
    rhythms,
    signs,
    species,
    standards,
    structured,
    technical,
    texts,
    things,
)
from .axis import Axis, axis_of
from .identifiers import written_lengths
from .own_kinds import know
from .people import People, Person
from .person_names import folded_names
from .registry import (
    LANGUAGES,
    SPOKEN,
    FromText,
    Kind,
    KindError,
    PersonPart,
    Prepared,
    Request,
    Values,
    find_kind,
    get_kind,
    kind_names,
    register,
)

__all__ = [
    "LANGUAGES",
    "SPOKEN",
    "Axis",
    "FromText",
    "Kind",
    "KindError",
    "People",
    "Person",
    "PersonPart",
    "Prepared",
    "Request",
    "Values",
    "axis_of",
    "find_kind",
    "folded_names",
    "get_kind",
    "kind_names",
    "know",
    "register",
    "written_lengths",
]
