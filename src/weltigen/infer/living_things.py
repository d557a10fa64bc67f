"""What tells of living things: species and breeds, their common and scientific names, and what an animal is called."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

from ..model import Field
from ..model.types import TEXTS
from ..values.species import species
from .around import Around, Context, Guessed, is_keyed
from .nouns import what_is
from .offers import by_words, has_room, of_named_kind, read_pairs

# by the group of species, words of an entity that is about them
_GROUPS = {
    word: group
    for group, words in (
        ("bats", "bat pipistrelle noctule hibernaculum"),
        ("moths", "moth lighttrap"),
        ("butterflies", "butterfly lepidoptera"),
        ("bees", "bee bumblebee pollinator"),
        ("dragonflies", "dragonfly damselfly odonata"),
        ("insects", "insect beetle bug entomology"),
        ("amphibians", "amphibian frog toad newt herpetology"),
        ("reptiles", "reptile snake lizard"),
        ("sea mammals", "whale dolphin cetacean porpoise"),
        ("fungi", "fungus fungi mushroom mycology"),
        ("birds", "bird nestbox ringing birdringing birdwatching ornithology heronry"),
        ("trees", "tree woodland arboretum"),
        ("mammals", "mammal cameratrap mammalogy"),
        ("fish", "fish electrofishing"),
        ("plants", "wildflower orchid meadow quadrat botany"),
    )
    for word in words.split()
}
_TWO = {"nest box": "birds", "light trap": "moths", "camera trap": "mammals"}


def _group(around: Around) -> str | None:
    """The group of species that an entity is about by its words, the last of them first."""
    noun = around.noun
    pairs = (_TWO.get(f"{one} {other}") for one, other in pairwise(noun))
    return next(filter(None, pairs), None) or next((_GROUPS[word] for word in reversed(noun) if word in _GROUPS), None)


def of_group(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What people call a species of the group that the row is about."""
    group = _group(around)
    if group is None or around.vocabulary.language != "en" or not has_room(field, 3):
        return None
    told = by_words(field, tuple((common, 10.0) for common in species()[group]), f"{reason}, of {group}", sure)
    return replace(told, guess=replace(told.guess, closed=True)) if told is not None and is_keyed(around.entity, field) else told


_FAMILIES = (
    "Rosaceae:16, Fabaceae:14, Asteraceae:14, Solanaceae:12, Lamiaceae:12, Brassicaceae:10, Apiaceae:8, Poaceae:8, Ericaceae:6"
)
_OF_BEASTS = "Canidae:14, Felidae:14, Bovidae:14, Cervidae:10, Accipitridae:12, Corvidae:12, Paridae:12, Anatidae:12"


def _familied(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """The family that botany or zoology puts a species into; of persons it is told elsewhere."""
    if not around.has(
        "scientific name", "latin name", "name scientific", "name latin", "genus", "species", "germination days", "variety"
    ):
        return None
    return by_words(field, read_pairs(_OF_BEASTS if around.topic.within("animals", "birds") else _FAMILIES), reason, sure)


def _commonly(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What people call a species, beside its scientific name or beside what tells of one."""
    if not around.has("species", "scientific name", "latin name", "genus", "taxon", "name scientific"):
        return None
    if (told := of_group(around, field, reason, sure)) is not None or not around.topic.has("species"):
        return told
    return of_named_kind("thing-name", f"{reason}, of a species", sure, list="species") if has_room(field, 4) else None


def _scientific(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """A species' scientific name: that of the common one beside it, where there is one."""
    named = [
        o for o in around.entity.fields if o.name != field.name and around.words[o.name] in _COMMON_NAMES and o.type.name in TEXTS
    ]
    beside = next((one.name for one in named if field.nullable or not one.nullable), None)
    group = _group(around)
    said = {"of": beside} if beside is not None else {"group": group} if group is not None else {}
    return of_named_kind("latin-name", reason if beside is None else f"{reason}, of {beside}", sure, **said)


_COMMON_NAMES = frozenset(
    tuple(name.split())
    for name in ("common name", "name", "english name", "name common", "name english", "species", "vernacular name")
)


def _of_its_animals(words: str, instead: str) -> Context:
    """A species or a breed of its trade; of another trade's animals where its own has none."""

    def made(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
        if not has_room(field, 3) and field.type.name in TEXTS:
            return None
        if around.topic.has(words):
            return of_named_kind("term", reason, sure, list=words)
        return of_named_kind("term", f"{reason}, which its trade has none of", sure, list=words, topic=instead)

    return made


def _petnamed(around: Around, field: Field, reason: str, sure: float) -> Guessed | None:
    """What an animal is called; what somebody is called among friends is told elsewhere."""
    animal = (
        what_is(around.head) == "animal"
        or around.has("breed", "species")
        or around.topic.within("animals", "veterinary", "horses")
    )
    return (
        of_named_kind("thing-name", f"{reason}, of an animal", sure, topic="animals") if animal and has_room(field, 4) else None
    )


OF_LIVING_THINGS: dict[str, Context] = {
    "ofgroup": of_group,
    "specied": _of_its_animals("species", "birds"),
    "breeding": _of_its_animals("breeds", "animals"),
    "petnamed": _petnamed,
    "commonly": _commonly,
    "latin": _scientific,
    "familied": _familied,
}
