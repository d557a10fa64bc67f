"""A field: what the model declares of it, and what the world file wishes for it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from .origins import Origin
from .problems import Place
from .types import FieldType

MASK = "•••"  # what is shown in place of a secret value
Parameters = tuple[tuple[str, str], ...]
Comparison = Literal[">=", ">", "<=", "<"]
Casing = Literal["lower", "upper"]


class Reasoned:
    """A limit that says where it comes from: one that a check or a world file sets by their words, which no other has."""

    __slots__ = ()
    origin: Origin
    because: str | None

    def __post_init__(self) -> None:
        if (self.because is not None) != (self.origin in (Origin.CHECK, Origin.SAID)):
            raise ValueError(f"a limit that is {self.origin} {'has no' if self.because else 'needs'} words of its own")

    @property
    def source(self) -> str:
        """Where it comes from, in words."""
        return self.because or str(self.origin)


@dataclass(frozen=True, slots=True, kw_only=True)
class KindSource:
    """Values of a named kind; parameters are literals as they were written."""

    kind: str
    parameters: Parameters = ()
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ConstSource:
    """The same value in every row."""

    value: str
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class PatternSource:
    """Texts that a regular expression matches as a whole."""

    pattern: str
    place: Place | None = None
    origin: Origin = Origin.SAID


@dataclass(frozen=True, slots=True, kw_only=True)
class WeightsSource:
    """One of the given values, each as often as its weight says."""

    weights: tuple[tuple[str, float], ...]
    place: Place | None = None

    def values(self) -> tuple[str, ...]:
        """Every value that may come out."""
        return tuple(value for value, weight in self.weights if weight > 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShapeSource:
    """Numbers whose distribution has a named shape: even, normal, skewed, exponential, triangular, humps, zipf, quantiles, steps.

    The parameters of `quantiles` are its values in order, those of `steps` the weights by where each step begins.
    """

    shape: str
    parameters: tuple[tuple[str, float], ...] = ()
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ComputeSource:
    """What an SQL expression gives over the row, rows that it leads to (`fare.price`), and its children (`sum(ticket.price)`)."""

    expression: str
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """What a field is filled from where `when` is true and no case before it was; `when` None: in all other rows."""

    source: KindSource | WeightsSource | ShapeSource
    when: str | None = None
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class CasesSource:
    """Kinds, weights or shapes, by the values of other cells."""

    cases: tuple[Case, ...]
    place: Place | None = None


Source = KindSource | ConstSource | PatternSource | WeightsSource | ShapeSource | ComputeSource | CasesSource


@dataclass(frozen=True, slots=True, kw_only=True)
class Follow:
    """The field rises, or falls, with another one of the row: `correlation` is Spearman's, of their ranks, from -1 to 1."""

    field: str
    correlation: float
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Numbering:
    """The field counts up, from `start` on, and leaves out a share `gaps` of the numbers."""

    start: int | None = None
    gaps: float = 0.0
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Disturbed:
    """A share `noise` of the values look mistyped; a share `extremes` lie at the ends of what is allowed."""

    noise: float = 0.0
    extremes: float = 0.0
    place: Place | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Bound(Reasoned):
    """The field's value is `comparison` than `operand`: a literal, or a path to another cell.

    A path is a field of the same row (`booked_at`) or of a row referred to (`sailing.departs_at`).
    The literal `now` is the time that the world calls so. `within` is a span as written; it bounds the distance to the operand.
    `usually` is the commonest distance, where most rows are near; without it all distances are as common.
    """

    comparison: Comparison
    operand: str
    path: bool = False
    within: str | None = None
    usually: str | None = None
    place: Place | None = None
    origin: Origin = Origin.DECLARED
    because: str | None = None

    @property
    def source(self) -> str:
        """Where it comes from, in words; a bound that gives way and has a place was said."""
        if self.origin is Origin.GUESSED and self.place is not None:
            return "said as `loose`: kept where there is room"
        return self.because or str(self.origin)

    def __str__(self) -> str:
        usual = f", usually {self.usually}" if self.usually else ""
        near = f" (within {self.within}{usual})" if self.within else ""
        return f"{self.comparison} {self.operand}{near}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowed(Reasoned):
    """The field's value is one of `values`."""

    values: tuple[str, ...]
    place: Place | None = None
    origin: Origin = Origin.DECLARED
    because: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Present:
    """When a nullable field has a value: in a share of the rows, exactly when an expression is true, or in a share of those."""

    share: float | None = None
    when: str | None = None
    place: Place | None = None
    origin: Origin = Origin.SAID


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What holds for every value of a field, from its type, its checks and the world file."""

    bounds: tuple[Bound, ...] = ()
    allowed: tuple[Allowed, ...] = ()
    patterns: tuple[PatternSource, ...] = ()
    multiple_of: str | None = None
    min_length: int | None = None
    max_length: int | None = None
    casing: Casing | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Guess:
    """Why a field is filled, or refers, the way it does where nobody said so; `confidence` is between 0 and 1.

    `closed`: its values are all that there are, so that an entity of these has no more rows.
    """

    reason: str
    confidence: float = 0.9
    closed: bool = False

    @property
    def sure(self) -> bool:
        return self.confidence >= 0.7


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """What a field may be filled from where nobody said it, and why."""

    source: Source
    guess: Guess


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One column: its declaration, then the wishes for filling it.

    `generated` is the SQL expression by which the database computes the column; such a column is never written. `collation`, as
    it is declared for the column or its table, says which texts are equal (see folding.py). A source that has a `guess` gives way
    to `others`, one after the other, where its values cannot keep what is declared.
    """

    name: str
    type: FieldType
    nullable: bool = True
    default: str | None = None
    identity: bool = False
    generated: str | None = None
    comment: str | None = None
    place: Place | None = None
    source: Source | None = None
    limits: Limits = field(default_factory=Limits)
    present: Present | None = None
    follows: tuple[Follow, ...] = ()
    numbering: Numbering | None = None
    secret: bool | None = None  # None: nobody said
    disturbed: Disturbed | None = None
    guess: Guess | None = None
    others: tuple[Candidate, ...] = ()
    collation: str | None = None
    means: str | None = None  # the kind that its name speaks of, where it is filled from something else

    @property
    def room(self) -> int | None:
        """The most characters, or bytes, that the type and the limits leave; None where any number fits."""
        length, most = self.type.length, self.limits.max_length
        return most if length is None or (most is not None and most < length) else length

    @property
    def free(self) -> bool:
        """Whether nobody said what it is filled from."""
        return self.source is None or self.guess is not None
