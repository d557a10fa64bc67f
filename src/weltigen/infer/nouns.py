"""What entities are, by their nouns: persons, places, firms, animals, and things that are named in ways of their own."""

from __future__ import annotations

import re
from functools import lru_cache

from ..values.vocabulary import by_noun, listed, long_tail, senses
from .concepts import known_words

_NAMED = {what: frozenset(listed(f"nouns of {what}")) for what in ("person", "firm", "vessel", "place", "landmark", "animal")}
SYSTEMS = frozenset(listed("topics of systems"))  # what is about computers
LINES = frozenset("item line detail product position entry".split())  # what a line of an order is called
PERSONS, ANIMALS = _NAMED["person"], _NAMED["animal"]
_TAIL = {"person": "person", "firm": "firm", "place": "place", "landmark": "landmark", "animals": "animal"}


# what handles and resolves is nobody where machines run
PARTS_OF_PROGRAMS = frozenset("handler dispatcher processor executor resolver listener validator consumer producer".split())
# what calculates and renders is a program or a tool mostly, whoever does it otherwise
_TOOLS = (
    frozenset(
        "calculator generator renderer printer scanner converter formatter parser loader scheduler counter indicator selector validator "
        "processor adapter wrapper builder viewer reader player container trailer filter timer buffer cluster pointer register "
        "mapper tracker logger crawler scraper resolver reducer encoder decoder emitter aggregator fetcher watcher notifier poller "
        "limiter checker bundler linker launcher updater uploader downloader extractor transformer normalizer serializer tokenizer "
        "splitter merger locker detector controller simulator emulator".split()
    )
    | PARTS_OF_PROGRAMS
)


@lru_cache(maxsize=4096)
def what_is(noun: str) -> str | None:
    """Whether a noun is of a person, a firm, a vessel, a place, a landmark or an animal; by our lists, else by the long tail."""
    for what, nouns in _NAMED.items():
        if noun in nouns:
            return what
    if len(noun) < 4 or noun in known_words() or noun in by_noun() or noun in _TOOLS:
        return None
    return _TAIL.get(long_tail().get(noun, ""))


# persons whose words do not end as those for who does something; most others without such an end are slang
_KNOWN_PERSONS = frozenset(
    "academic actuary advocate aide alternate apothecary applicant apprentice archbishop archdeacon architect artisan artist associate athlete "
    "attorney aunt bailiff ballerina beneficiary betrothed boatswain bosun bridegroom cadet candidate captain caretaker casualty chairperson "
    "chaperone chaplain chef chief child citizen cleric clerk coach colleague colonel companion concierge conscript copilot counsel coxswain "
    "curate deacon deceased deckhand delegate deputy detective diplomat disciple dockhand draftsperson enthusiast envoy escort executive "
    "executrix expert farmhand freelance functionary general goatherd graduate groom guard guest guide gymnast heir heiress herald hostage host "
    "hostess housemate husband inmate insured intern jockey judge juvenile knight landlady landlord lawyer legate lieutenant lifeguard locum "
    "magistrate marshal mate mechanic midwife minister monk national neighbour nephew niece notary novice nun nurse officer orderly orphan "
    "paralegal paramedic partner patient patron pilot pilgrim poet postgraduate prefect priest principal professional professor proxy pupil "
    "recruit relative representative resident salesperson scholar secretary sergeant shepherd sheriff sibling skipper soprano spokesperson "
    "spouse steeplejack stevedore steward stonemason student surgeon surrogate suspect teammate tenant testate therapist understudy undergraduate "
    "valet veteran vicar victim virtuoso warden watchman widow widower wife witness workmate youth".split()
)
_WHO_DOES = re.compile(r".{2,}(er|or|ist|ian|eur|ant|dent|man|woman|ee|ster|wright|smith|keeper|master)$")


def is_somebody(noun: str) -> bool:
    """Whether a field that is called so names a person, also where its noun tells of a trade: the collector of a sample."""
    if noun in PERSONS or (what_is(noun) == "person" and noun in _KNOWN_PERSONS):
        return True
    return noun not in _TOOLS and _WHO_DOES.match(noun) is not None and long_tail().get(noun) == "person"


def is_tool(noun: str) -> bool:
    """Whether it is a part of a program, by what it does: a calculator, a parser."""
    return noun in _TOOLS


@lru_cache(maxsize=1)
def _nouns() -> frozenset[str]:
    told = senses()
    return frozenset(by_noun()) | frozenset(long_tail()) | frozenset((*told["one word"], *told["attribute"], *told["possession"]))


def is_noun(word: str) -> bool:
    """Whether a word is a noun of ours or of the long tail, and not short for something."""
    return word in _nouns()


# entities whose name is what their rows are about, and the list of a topic that holds such names
LISTS = {"species": "species", "breed": "breeds", "sport": "sports", "genre": "genres", "role": "roles", "check": "checks", "material": "materials",
         "ingredient": "ingredients", "category": "kinds", "type": "kinds", "kind": "kinds", "class": "kinds", "group": "names", "method": "methods",
         "unit": "units", "tag": "tags", "topic": "tags", "specialty": "specialties", "allergen": "allergens", "reason": "reasons", "location": "locations",
         "question": "questions", "issue": "issues", "fault": "issues", "diagnosis": "issues", "state": "states"}  # fmt: skip
MESSAGES = frozenset("message mail email ticket issue incident complaint request notice notification alert thread conversation news post announcement fault "
                     "bug case problem comment report defect stoerung inquiry enquiry support call log alarm feedback".split())  # fmt: skip
