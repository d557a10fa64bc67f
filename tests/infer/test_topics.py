"""What a model is about is told by its nouns, and decides the words of its texts; what every application has tells nothing."""

from __future__ import annotations

import random
import re
from collections import Counter

import pytest

import weltigen
from weltigen.values.vocabulary import NEUTRAL, topic, topics

COLUMNS = "id integer PRIMARY KEY, name varchar(60) NOT NULL, description text NOT NULL, status varchar(20), created_at timestamp"
TOPICS = sorted(name for name, one in topics().items() if len(one.nouns) >= 4 and name != NEUTRAL)


def tables(nouns: list[str], prefix: str = "", more: str = "") -> str:
    return "\n".join(f"CREATE TABLE {prefix}{noun} ({COLUMNS}{more});" for noun in dict.fromkeys(nouns))


@pytest.fixture(scope="module")
def told() -> dict[str, Counter[str]]:
    """By topic, which topics the tables of a model got that are called by its first nouns."""
    out = {}
    for name in TOPICS:
        world = weltigen.read_model(tables(list(topic(name).nouns[:4]), random.Random(name).choice(["", "wk_", "tbl_"])))
        out[name] = Counter(entity.topic for entity in world.declared.entities)
    return out


def test_a_model_is_about_what_its_tables_are_called_by(told: dict[str, Counter[str]]) -> None:
    missed = [name for name in TOPICS if max(told[name], key=lambda other: told[name][other]) != name]
    assert len(TOPICS) > 180 and len(missed) <= 0.06 * len(TOPICS), missed
    assert sum(told[name][name] for name in TOPICS) > 0.85 * sum(sum(one.values()) for one in told.values())


# whose things are told by their models, and whose lines by what was bought
_OTHERWISE = ("vehicles", "banking")


@pytest.mark.parametrize("name", random.Random(5).sample([name for name in TOPICS if name not in _OTHERWISE], 24))
def test_texts_and_names_speak_of_the_topic(name: str) -> None:
    world = weltigen.read_model(tables(list(topic(name).nouns[:3])))
    dataset = world.dataset(rows={entity.name: 60 for entity in world.declared.entities})
    of = [entity for entity in world.declared.entities if entity.topic == name]
    assert of, [entity.topic for entity in world.declared.entities]
    own = topic(name)
    words = {
        word.lower() for kind in ("names", "things", "uses", "issues", "materials", "parts", "kinds") for word in own.words(kind)
    }
    said = re.compile("|".join(sorted(map(re.escape, words), key=len, reverse=True)))
    for entity in of:
        texts = dataset.frame(entity.name)["description"].str.lower()
        assert texts.str.contains(said).mean() > 0.8 and texts.nunique() > 50, texts[:3].tolist()


COMMON = ["users", "roles", "permissions", "settings", "sessions", "audit_log", "notifications"]


@pytest.mark.parametrize("name", ["veterinary", "brewing", "railways", "beekeeping", "ships", "broadcast"])
def test_what_every_application_has_changes_no_topic(name: str) -> None:
    nouns = list(topic(name).nouns[:3])
    alone = {e.name: e.topic for e in weltigen.read_model(tables(nouns)).declared.entities}
    world = weltigen.read_model(tables([*COMMON, *nouns])).declared
    assert {noun: world.entity(noun).topic for noun in alone} == alone
    assert {"accounts", "permissions", "logs"} <= {world.entity(common).topic for common in COMMON}


INSIDE = {
    "pool": "network",
    "port": "network",
    "listener": "network",
    "driver": "software",
    "load": "network",
}


@pytest.mark.parametrize("noun", INSIDE)
def test_a_noun_of_two_trades_goes_with_its_company(noun: str) -> None:
    """A pool of addresses is no place to swim, and a driver of a lorry no software."""
    machines = weltigen.read_model(
        tables([noun, "server", "network_interface", "subnet", "router", "deployment", "image"])
    ).declared
    others = {"pool": "swimmer lifeguard lane", "port": "ship vessel cargo", "listener": "broadcast programme presenter station",
              "driver": "vehicle trip lorry", "load": "freight lorry consignment"}  # fmt: skip
    trade = weltigen.read_model(tables([noun, *others[noun].split()])).declared
    assert machines.entity(noun).topic == INSIDE[noun], machines.entity(noun).topic
    assert trade.entity(noun).topic not in ("network", "software", "hosting"), trade.entity(noun).topic


@pytest.mark.parametrize("name", ["music", "veterinary", "brewing", "beekeeping", "ships"])
def test_complaints_and_parts_are_of_the_trade_that_they_belong_to(name: str) -> None:
    """Where there is no help desk, a complaint is about no telephone; and mutations of three tables are none of a gene."""
    nouns = list(topic(name).nouns[:3])
    parts = [f"CREATE TABLE {noun}_mutation ({COLUMNS}, {noun}_id integer REFERENCES {noun});" for noun in nouns]
    parts += [f"CREATE TABLE complaint ({COLUMNS}, {nouns[0]}_id integer REFERENCES {nouns[0]});"]
    world = weltigen.read_model("\n".join([tables(nouns), *parts])).declared
    assert {world.entity(f"{noun}_mutation").topic for noun in nouns} <= {world.entity(noun).topic for noun in nouns}
    assert world.entity("complaint").topic == world.entity(nouns[0]).topic
    desk = weltigen.read_model("\n".join([tables([*nouns, "helpdesk_ticket"]), parts[-1]])).declared
    assert desk.entity("helpdesk_ticket").topic == "support"
