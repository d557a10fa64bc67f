"""What entities are, by their nouns: persons, places, firms, animals, and things that are named in ways of their own."""

from __future__ import annotations

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
    "port island city town place region village harbour district county country station municipality locality destination suburb pier stop borough "
    "community quarter settlement commune province state".split()
)
FIRMS = frozenset(
    "company organization organisation operator agency supplier firm carrier shipyard insurer vendor manufacturer employer business clinic practice "
    "partner bank publisher distributor contractor dealer wholesaler retailer airline laboratory hospital merchant producer corporation enterprise "
    "charity foundation association club provider shop store restaurant hotel".replace("provider ", "").split()
)
VESSELS = frozenset("vessel ship boat ferry yacht".split())
ANIMALS = frozenset("animal pet dog cat horse puppy kitten foal cow sheep goat bird falcon hawk parrot rabbit pony".split())
# entities whose name is what their rows are about, and the list of a topic that holds such names
LISTS = {"species": "species", "breed": "breeds", "sport": "sports", "genre": "genres", "role": "roles", "check": "checks", "material": "materials",
         "ingredient": "ingredients", "category": "kinds", "type": "kinds", "kind": "kinds", "class": "kinds", "group": "names", "method": "methods",
         "unit": "units", "tag": "tags", "topic": "tags", "specialty": "specialties", "allergen": "allergens", "reason": "reasons", "location": "locations",
         "question": "questions", "issue": "issues", "fault": "issues", "diagnosis": "issues", "state": "states"}  # fmt: skip
MESSAGES = frozenset("message mail email ticket issue incident complaint request notice notification alert thread conversation news post announcement fault "
                     "bug case problem comment report defect stoerung inquiry enquiry support call log alarm feedback".split())  # fmt: skip
