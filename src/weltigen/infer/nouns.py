"""What entities are, by their nouns: persons, places, firms, animals, and things that are named in ways of their own."""

from __future__ import annotations

from functools import lru_cache

from ..values.vocabulary import by_noun, long_tail
from .concepts import known_words

PERSONS = frozenset(
    "passenger person people user member crew pilot captain patient student teacher guest visitor contact staff steward keeper holder client "
    "customer employee author subscriber recipient participant attendee owner admin driver doctor nurse agent profile vet lecturer hirer pupil applicant "
    "candidate donor volunteer resident citizen player athlete coach tenant landlord witness officer mechanic technician instructor trainer trainee parent "
    "child guardian voter supporter artist musician actor performer speaker reader borrower beneficiary beekeeper farmer inspector engineer operator "
    "cook waiter secretary manager supervisor assistant intern apprentice professor researcher scientist adviser consultant lawyer judge policeman "
    "rider runner climber swimmer dancer singer editor translator photographer journalist reporter reviewer walker hiker caller sender payer payee debtor creditor "
    "buyer seller rescuer commander salesperson lead prospect worker personnel moderator assignee signatory falconer handler breeder tester".split()
)
PLACES = frozenset(
    "city town place region village district county country municipality locality destination suburb borough "
    "community quarter settlement commune province state".split()
)
LANDMARKS = frozenset(
    "port island harbour pier station stop lake river mountain peak bay lighthouse reservoir forest valley pass beach".split()
)
FIRMS = frozenset(
    "company organization organisation operator agency supplier firm carrier shipyard insurer vendor manufacturer employer business clinic practice "
    "partner bank publisher distributor contractor dealer wholesaler retailer airline laboratory hospital merchant producer corporation enterprise "
    "charity foundation association club provider shop store restaurant hotel".replace("provider ", "").split()
)
VESSELS = frozenset("vessel ship boat ferry yacht".split())
ANIMALS = frozenset("animal pet dog cat horse puppy kitten foal cow sheep goat bird falcon hawk parrot rabbit pony".split())
_NAMED = (
    ("person", PERSONS),
    ("firm", FIRMS),
    ("vessel", VESSELS),
    ("place", PLACES),
    ("landmark", LANDMARKS),
    ("animal", ANIMALS),
)
_TAIL = {"person": "person", "firm": "firm", "place": "place", "landmark": "landmark", "animals": "animal"}


@lru_cache(maxsize=4096)
def what_is(noun: str) -> str | None:
    """Whether a noun is of a person, a firm, a vessel, a place, a landmark or an animal; by our lists, else by the long tail."""
    for what, nouns in _NAMED:
        if noun in nouns:
            return what
    if len(noun) < 4 or noun in known_words() or noun in by_noun():
        return None
    return _TAIL.get(long_tail().get(noun, ""))


# entities whose name is what their rows are about, and the list of a topic that holds such names
LISTS = {"species": "species", "breed": "breeds", "sport": "sports", "genre": "genres", "role": "roles", "check": "checks", "material": "materials",
         "ingredient": "ingredients", "category": "kinds", "type": "kinds", "kind": "kinds", "class": "kinds", "group": "names", "method": "methods",
         "unit": "units", "tag": "tags", "topic": "tags", "specialty": "specialties", "allergen": "allergens", "reason": "reasons", "location": "locations",
         "question": "questions", "issue": "issues", "fault": "issues", "diagnosis": "issues", "state": "states"}  # fmt: skip
MESSAGES = frozenset("message mail email ticket issue incident complaint request notice notification alert thread conversation news post announcement fault "
                     "bug case problem comment report defect stoerung inquiry enquiry support call log alarm feedback".split())  # fmt: skip
