"""What a source leaves open: kinds of value by name and type, and checks turned into limits. Every guess has a reason."""

from ..model import World
from .amounts import guess_amounts
from .as_planned import guess_as_planned
from .calendars import guess_calendars
from .checks import understand_checks
from .circles import without_circles
from .compared import leave_room
from .copies import guess_copies
from .discounts import guess_discounts
from .durations import guess_durations
from .filters import filter_references
from .fitting import fit_formulas
from .given_passwords import keep_passwords
from .implied import imply_ends
from .kinds import guess_kinds
from .labels import guess_labels
from .lives import guess_lives
from .lookups import guess_lookups
from .moments import guess_order
from .moments_as_texts import moments_as_texts
from .numbered import guess_numbering
from .opinions import guess_opinions
from .over_time import guess_courses
from .planned import guess_steps
from .presences import guess_presences
from .proportions import guess_proportions
from .referenced import ask_for_keys, fill_referenced
from .references import Proposal, likely_relations, propose_relations, relate_undeclared
from .tenancy import propose_tenants
from .topics import guess_topics
from .totals import guess_totals
from .trees import guess_trees
from .values_by_name import guess_values_by_name
from .written_in_turn import guess_correspondence, guess_threads


def complete(world: World) -> World:
    """The world of a model with what its declarations leave unsaid and a world file may speak of: likely relationships, and
    texts that hold moments."""
    return moments_as_texts(relate_undeclared(world))


def infer(world: World) -> World:
    """The world with its checks understood, and kinds and labels guessed where nobody said them; once more changes nothing."""
    world = imply_ends(understand_checks(fill_referenced(filter_references(world))))
    world = guess_topics(guess_correspondence(guess_numbering(world)))
    world = keep_passwords(ask_for_keys(leave_room(guess_kinds(world))))
    if world.guesses == "full":
        world = guess_copies(guess_lives(guess_steps(guess_lookups(world))))
        world = guess_durations(guess_calendars(guess_opinions(guess_values_by_name(world))))
        world = guess_courses(guess_amounts(guess_discounts(guess_threads(world))))
        world = fit_formulas(guess_trees(guess_totals(guess_presences(world))))
        world = guess_proportions(guess_as_planned(world))
    return guess_labels(without_circles(guess_order(world)))


__all__ = [
    "Proposal",
    "complete",
    "filter_references",
    "guess_kinds",
    "guess_labels",
    "guess_order",
    "infer",
    "likely_relations",
    "moments_as_texts",
    "propose_relations",
    "propose_tenants",
    "relate_undeclared",
    "understand_checks",
]
