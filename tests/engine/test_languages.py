"""Worlds in several languages: each row is in one of them, in all that it tells."""

from __future__ import annotations

from pathlib import Path

import pytest

import weltigen
from weltigen.model.problems import UnreadableError
from weltigen.values.person_names import folded_names, names

PIER = """CREATE TABLE guest (id serial PRIMARY KEY, salutation varchar(12) NOT NULL, first_name varchar(40) NOT NULL,
middle_name varchar(40), last_name varchar(60) NOT NULL, full_name varchar(90) NOT NULL, email varchar(120) NOT NULL UNIQUE,
username varchar(60) NOT NULL UNIQUE, emergency_contact varchar(80) NOT NULL, remark text NOT NULL);
CREATE TABLE cabin (id serial PRIMARY KEY, deck varchar(20) NOT NULL);
CREATE TABLE guest_address (id serial PRIMARY KEY, guest_id integer NOT NULL REFERENCES guest(id), street varchar(80) NOT NULL,
city varchar(60) NOT NULL, country varchar(60) NOT NULL);
CREATE TABLE harbour (id serial PRIMARY KEY, city varchar(60) NOT NULL, country varchar(60) NOT NULL);"""
SHARES = {"de-DE": 50, "fr-FR": 30, "pl-PL": 20}
ADDRESSED = {"Frau": "de-DE", "Herr": "de-DE", "Mme": "fr-FR", "M.": "fr-FR", "Pani": "pl-PL", "Pan": "pl-PL"}
AT_HOME = {"de-DE": "Deutschland", "fr-FR": "France", "pl-PL": "Polska"}


def world(folder: Path, language: str, more: str = "entities: {guest: {rows: 3000}, harbour: {rows: 500}}") -> weltigen.World:
    (folder / "pier.sql").write_text(PIER)
    (folder / "world.yaml").write_text(f"weltigen: 3\nmodel: pier.sql\nlanguage: {language}\n{more}\n")
    return weltigen.open_world(folder / "world.yaml")


def test_a_row_is_in_one_language_in_all_that_it_tells(tmp_path: Path) -> None:
    dataset = world(tmp_path, "{pl-PL: 20, de-DE: 50, fr-FR: 30}").dataset()
    guests = dataset.frame("guest")
    of = guests["salutation"].map(ADDRESSED)
    assert of.value_counts().to_dict() == {tag: 30 * share for tag, share in SHARES.items()}
    for column in ("email", "username"):
        assert guests[column].is_unique
    assert (guests["full_name"] == guests["first_name"] + " " + guests["last_name"]).all()
    assert guests["email"].str.startswith(guests["first_name"].map(folded_names)[0] + ".")[0]
    for tag in SHARES:
        own = guests[of == tag]
        known = names(tag)
        forms = {*known.families, *map(known.of_women or str, known.families)}
        assert set(own["first_name"]) | set(own["middle_name"].dropna()) <= set(known.given) and set(own["last_name"]) <= forms
        assert set(own["emergency_contact"].str.partition(" ")[2]) <= forms
    assert guests["remark"][of == "de-DE"].str.contains("ü|ä|ö|ß| dem | der ").mean() > 0.5
    assert guests["remark"][of == "fr-FR"].str.contains("é|à| le | la | du ").mean() > 0.5
    lives = dataset.frame("guest_address").merge(guests.assign(of=of), left_on="guest_id", right_on="id")
    assert (lives["country"] == lives["of"].map(AT_HOME)).mean() > 0.5
    assert set(AT_HOME.values()) <= set(dataset.frame("harbour")["country"])
    for ordinal in (0, 7, 1500, 2999):  # a row alone is as it is among all
        assert dataset.row("guest", ordinal).items() >= {n: guests[n][ordinal] for n in ("email", "remark", "salutation")}.items()
    assert dataset.next_stage(times=1).frame("guest")["email"].is_unique


@pytest.mark.parametrize(
    ("language", "fact"),
    [
        ("{}", "language names none"),
        ("{de-DE: 60, xx-XX: 40}", "no names are known for language 'xx-XX'"),
        ("{de-DE: 60, fr-FR: 0}", "language fr-FR has the weight 0"),
        ("{de-DE: many}", "many"),
        ("[de-DE, fr-FR]", "language"),
    ],
)
def test_languages_that_are_none_are_told_by_their_place(language: str, fact: str, tmp_path: Path) -> None:
    with pytest.raises(UnreadableError, match=r"world\.yaml:3") as told:
        world(tmp_path, language)
    assert fact in str(told.value)


def test_what_somebody_says_of_the_language_does_not_change_the_one_that_names_are_in(tmp_path: Path) -> None:
    plain = world(tmp_path, "de-DE", "").dataset(times=3).frame("guest")
    assert plain["remark"].str.len().median() > 10
    world(tmp_path, "{de-DE: 60, fr-FR: 40}")
    weltigen.draft(tmp_path / "pier.sql", tmp_path / "world.yaml")
    assert "language: {de-DE: 60, fr-FR: 40}" in (tmp_path / "world.yaml").read_text()


@pytest.mark.parametrize("language", ["en-GB", "pl-PL", "{de-DE: 60, fr-FR: 40}"])
@pytest.mark.parametrize("room", [26, 60])
def test_names_of_persons_that_must_differ_stay_names(language: str, room: int, tmp_path: Path) -> None:
    """Who has a namesake has initials besides; before, such names were those to log in with."""
    sql = f"CREATE TABLE teacher (id integer PRIMARY KEY, name varchar({room}) NOT NULL UNIQUE, phone text);"
    (tmp_path / "pier.sql").write_text(sql)
    text = f"weltigen: 3\nmodel: pier.sql\nlanguage: {language}\nentities: {{teacher: {{rows: 60000}}}}\n"
    (tmp_path / "world.yaml").write_text(text)
    names = weltigen.open_world(tmp_path / "world.yaml").dataset().frame("teacher")["name"]
    assert names.is_unique and names.str.len().max() <= room and names.str.contains(" ").all()
    assert not names.str.contains(r"\d").any() and names.str.contains(r" [A-Z]\. ").any()
