"""Which rows of its target a reference may point to: what it must agree on with others, and which condition these keep."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import Alike, Check, Entity, Tree
from ..model.ties import Way

ITSELF = "the row itself: any other way would be a circle"


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """One thing in which the target of a reference agrees with what an earlier reference, `bringer`, brings, or with the row.

    Either the value of a field of the row, `alike`; or the value of a `column` that both hold; or the row of `ancestor` in
    which the ways `own`, on from the bringer's target, and `theirs`, on from this one's, both end.
    `bringer` None: the row itself.
    """

    leader: str | None
    ancestor: str = ""
    from_leader: Way = ()
    from_target: Way = ()
    column: str | None = None
    alike: Alike | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class CandidateFilter:
    """Which rows of its target a reference may point to: those that agree in every part and keep `where`.

    `columns` are those that other references bring. `followers` are references that agree with this one and must find a row
    too. `earlier`: of its own entity's rows, only those
    before the row itself, in a `chain` just the one before, or as a `tree` of each group has it.
    """

    agreements: tuple[Agreement, ...] = ()
    columns: tuple[str, ...] = ()
    where: Check | None = None
    followers: tuple[str, ...] = ()
    earlier: bool = False
    chain: bool = False
    tree: Tree | None = None
    apart: str | None = None  # another reference to the same target, from which this one differs
    optional: bool = False

    def explained(self, entity: Entity) -> str:
        """The rows that are left, in words."""
        if self.chain and not self.optional:
            return ITSELF
        said = [f"with the same {agreement.column}" for agreement in self.agreements if agreement.column is not None]
        said += [f"of the same {agreement.ancestor}" for agreement in self.agreements if agreement.ancestor]
        said += [str(agreement.alike) for agreement in self.agreements if agreement.alike is not None]
        said += [f"other than the {self.apart}"] if self.apart is not None else []
        said += [f"where {self.where.expression}"] if self.where is not None else []
        said += [f"that leaves a choice of {entity.relation(follower).target}" for follower in self.followers]
        start = "any"
        if self.chain:
            start = "the row before,"
        elif self.tree is not None:
            start = "a tree"
        elif self.earlier:
            start = "an earlier row"
        return f"{start} {' and '.join(said)}" + (f": {self.tree}" if self.tree is not None else "")

    @property
    def implied(self) -> Agreement | None:
        """The part that leaves no choice: where its bringer leads is where this reference must."""
        alone = len(self.agreements) == 1 and self.where is None and not self.earlier
        return self.agreements[0] if alone and not self.agreements[0].from_target and self.agreements[0].ancestor else None
