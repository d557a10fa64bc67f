"""References that may go to rows of several entities: one field names the entity, one beside it the row."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..model import Field
from ..model.types import TEXTS
from .around import Around, Guessed, default_of
from .naming import singular
from .nouns import what_is
from .offers import by_words, has_room

_SORTS = frozenset("type class model kind table entity".split())
_ROWS = frozenset("id key uuid pk oid".split())
# what may be anything: an object, what something is about, what was done by whom
_ANYTHING = frozenset(
    "object entity resource target subject item record model owner source parent container reference ref origin related linked "
    "associated association element row res actor causer document context destination holder host auditable attached foreign "
    "relation notifiable content thing channel".split()
)
_SOMEBODY = frozenset("sender author actor creator assignee causer recipient requester performer user owner member".split())
_ABLE = re.compile(r"[a-z]{3,}(able|ible|ized|ised)$")
_MOST = 8  # entities that are named


def entity_of_reference(around: Around, field: Field) -> Iterator[Guessed]:
    """The names of entities, for a text beside the key of a row that no declared reference says the entity of; where one is
    guessed for it, the entity that it goes to."""
    words = around.whole[field.name]
    if field.type.name not in TEXTS or len(words) < 2 or words[-1] not in _SORTS or default_of(field):
        return
    stem = words[:-1]
    referring = {column: relation for relation in around.entity.relations for column in relation.columns}
    row = next((f for f in around.entity.fields if around.whole[f.name] in [(*stem, one) for one in _ROWS]), None)
    if row is not None and (row.name in around.entity.key or singular(stem[-1]) in around.noun):
        return  # which is the row itself
    somebody = stem[-1] in _SOMEBODY
    told = _ABLE.match(stem[-1]) is not None or (singular(stem[-1]) in _ANYTHING and stem != ("content",)) or somebody
    if row is None or not told or (what_is(stem[-1]) is not None and not somebody):
        return
    goes = referring.get(row.name)
    if goes is not None and goes.guess is None:
        return
    names = [one.name for one in around.world.entities if one.key and one.name != around.entity.name]
    names = [name.rpartition(".")[2] for name in ([goes.target] if goes is not None else names)]
    if somebody and goes is None:
        persons = [name for name in names if what_is(singular(around.vocabulary.words(name)[-1])) == "person"]
        names = persons or ["user"]
    if somebody or _ABLE.match(stem[-1]):  # a class of the application, as frameworks keep it
        parts = {name: around.vocabulary.words(name) for name in names}
        names = ["".join(map(str.capitalize, (*words[:-1], singular(words[-1])))) for words in parts.values() if words]
    chosen = [name for name in dict.fromkeys(names) if has_room(field, len(name))][:_MOST]
    made = by_words(field, tuple((name, 1.0) for name in chosen), f"the entity of {row.name}", 0.94) if chosen else None
    yield from () if made is None else (made,)
