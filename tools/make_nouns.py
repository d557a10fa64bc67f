"""Which topic the long tail of English nouns belongs to, from the hypernyms of WordNet 3.0 (its licence: data/WORDNET.txt).

    apt-get download wordnet-base && dpkg -x wordnet-base*.deb /tmp/wordnet
    python tools/make_nouns.py /tmp/wordnet/usr/share/wordnet

A noun's first sense counts, where it is a thing, a living being, a food, a place or an occupation. Names of persons, places and
brands (instances, and what is spelled with a capital) and words that the database calls offensive are left out, and so are single
chemicals, which no table is called after.
"""

from __future__ import annotations

import gzip
import re
import sys
from pathlib import Path

OUT = Path(__file__).parent.parent / "src" / "weltigen" / "values" / "data" / "nouns.txt.gz"
# a synset, by a word and the number of its sense, and the topic of all below it; the nearest above a noun counts
ANCHORS = {
    "animal.1": "animals", "bee.1": "beekeeping", "plant.2": "plants", "food.1": "food", "food.2": "food", "beverage.1": "drinks",
    "vehicle.1": "vehicles", "vessel.2": "ships", "craft.2": "ships", "machine.1": "machines", "tool.1": "tools", "musical_instrument.1": "music",
    "music.1": "music", "garment.1": "clothes", "clothing.1": "clothes", "fabric.1": "clothes", "footwear.1": "clothes", "furniture.1": "furniture",
    "building.1": "buildings", "room.1": "rooms", "structure.1": "construction", "chemical.1": "", "compound.2": "",
    "mineral.1": "minerals", "rock.1": "minerals", "rock.2": "minerals", "metal.1": "", "drug.1": "pharmacy", "medicine.2": "pharmacy",
    "disease.1": "medicine", "illness.1": "medicine", "symptom.1": "medicine", "medical_procedure.1": "medicine", "body_part.1": "medicine",
    "sport.1": "sports", "game.1": "sports", "athletic_contest.1": "sports", "sports_equipment.1": "sports", "celestial_body.1": "astronomy",
    "weather.1": "weather", "precipitation.3": "weather", "person.1": "person", "body_of_water.1": "landmark", "geological_formation.1": "landmark",
    "land.4": "landmark", "district.1": "place", "municipality.1": "place", "container.1": "products", "appliance.2": "households",
    "electronic_equipment.1": "devices", "measuring_instrument.1": "laboratory", "optical_instrument.1": "laboratory", "picture.1": "art",
    "art.1": "art", "artwork.1": "art", "sculpture.2": "art", "contract.1": "law", "document.1": "files", "publication.1": "library", "book.1": "library",
    "payment.1": "banking", "money.1": "banking", "tax.1": "invoicing", "fee.1": "invoicing", "insurance.1": "insurance", "show.3": "events", "party.4": "events",
    "ceremony.1": "events", "journey.1": "travel", "dwelling.1": "property", "computer.1": "devices", "software.1": "software", "toy.1": "products",
    "jewelry.1": "products", "adornment.1": "products", "plumbing_fixture.1": "construction", "building_material.1": "construction",
    "electrical_device.1": "energy", "bird.1": "animals", "microorganism.1": "laboratory", "cooking_utensil.1": "food", "tableware.1": "households",
    "company.1": "firm", "institution.1": "firm", "organization.1": "firm", "weapon.1": "",
}  # fmt: skip
_OFFENSIVE = re.compile(r"offensive|derogat|slang|vulgar|obscene|disparag|slur|contempt|sexual|prostitut|genital|excre", re.I)


def main(folder: Path) -> None:
    above: dict[str, list[str]] = {}
    gloss: dict[str, str] = {}
    instances: set[str] = set()
    capitals: set[str] = set()
    for line in (folder / "data.noun").read_text("utf-8").splitlines():
        if line.startswith(" "):
            continue
        facts, _, told = line.partition(" | ")
        parts = facts.split()
        count = int(parts[3], 16)
        at = 4 + 2 * count
        pointers = [parts[at + 1 + 4 * n : at + 5 + 4 * n] for n in range(int(parts[at]))]
        above[parts[0]] = [target for sign, target, _, _ in pointers if sign == "@"]
        if any(sign == "@i" for sign, *_ in pointers):
            instances.add(parts[0])
        gloss[parts[0]] = told
        capitals.update(word.lower() for word in parts[4 : 4 + 2 * count : 2] if word[:1].isupper())
    senses: dict[str, list[str]] = {}
    for line in (folder / "index.noun").read_text("utf-8").splitlines():
        if not line.startswith(" "):
            parts = line.split()
            senses[parts[0]] = parts[-int(parts[2]) :]
    anchors = {}
    for name, topic in ANCHORS.items():
        word, _, number = name.partition(".")
        if word in senses and len(senses[word]) >= int(number):
            anchors.setdefault(senses[word][int(number) - 1], topic)
    by_topic: dict[str, list[str]] = {}
    for word, offsets in senses.items():
        first = offsets[0]
        if not re.fullmatch("[a-z]{4,20}", word) or first in instances or word in capitals or _OFFENSIVE.search(gloss[first]):
            continue
        layer, seen = [first], {first}
        while layer:
            found = sorted({anchors[at] for at in layer if at in anchors})
            if found:
                if found[0]:
                    by_topic.setdefault(found[0], []).append(word)
                break
            layer = [up for at in layer for up in above.get(at, ()) if up not in seen and not seen.add(up)]  # type: ignore[func-returns-value]
    text = "".join(f"{topic}: {' '.join(sorted(words))}\n" for topic, words in sorted(by_topic.items()))
    OUT.write_bytes(gzip.compress(text.encode(), 9, mtime=0))
    (OUT.parent / "WORDNET.txt").write_text(
        "".join(
            re.sub(r"^ +\d+ ?", "", line).rstrip() + "\n"
            for line in (folder / "data.noun").read_text("utf-8").splitlines()
            if line.startswith("  ")
        ),
        "utf-8",
    )
    print({topic: len(words) for topic, words in sorted(by_topic.items())})


if __name__ == "__main__":
    main(Path(sys.argv[1]))
