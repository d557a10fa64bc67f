"""What is kept in several languages: tables of translations, and a column for each language."""

import pytest

import weltigen

from .test_of_anything import frames

BERTHS = "CREATE TABLE berth (id serial PRIMARY KEY, code varchar(20) NOT NULL);"
CATEGORY = "CREATE TABLE category (id serial PRIMARY KEY, position integer{});"


def test_a_table_of_translations_holds_the_names_of_what_it_translates() -> None:
    told = "(id serial PRIMARY KEY, category_id integer NOT NULL REFERENCES category(id), {} name varchar(80) NOT NULL, description text)"
    child = "CREATE TABLE leaf (id serial PRIMARY KEY, category_id integer REFERENCES category(id))"
    names = set(frames(CATEGORY.format(", name varchar(80) NOT NULL") + child)["category"]["name"])
    for table, spoken in (("category_translation", "language_code varchar(5) NOT NULL,"), ("category_i18n", "locale varchar(5) NOT NULL,"),
                          ("category_description", "")):  # fmt: skip
        rows = frames(CATEGORY.format("") + f"CREATE TABLE {table} {told.format(spoken)}")[table]
        assert len(rows) > 20 and set(rows["name"]) <= names, table


def test_columns_that_tell_one_thing_in_several_languages_mean_the_same() -> None:
    rows = frames(
        "CREATE TABLE leaflet (id serial PRIMARY KEY, title_lang1 varchar(80), title_lang2 varchar(80), help_de text NOT NULL,"
        " help_en text NOT NULL, remark_fr text NOT NULL, remark_es text NOT NULL, nickname varchar(40), phone_no varchar(20), phone varchar(20))",
        leaflet=60,
    )["leaflet"]  # fmt: skip
    assert not rows[["title_lang1", "title_lang2"]].stack().str.fullmatch("[a-z]{2}-[A-Z]{2}").any()
    assert (
        rows["help_de"].str.contains(r"\b(?:der|die|das|den|ein|eine|und|für|bitte|zu|im|mit|ist|nicht)\b", case=False).mean()
        > 0.9
    )
    assert rows["help_en"].str.contains(r"\b(?:the|a|and|to|of|for|is)\b").mean() > 0.7
    assert rows["remark_fr"].str.contains(r"\b(?:le|la|les|des|du|un|une|pour|et|sur)\b|[ldn]'|[éèà]").mean() > 0.7
    assert rows["remark_es"].str.contains(r"\b(?:el|la|los|las|de|un|una|por|y|en|con|se)\b").mean() > 0.7
    assert rows["phone_no"].dropna().str.contains("[0-9]{5}").all()


def test_a_language_is_said_of_one_field_and_an_unknown_one_is_told(tmp_path) -> None:
    (tmp_path / "berth.sql").write_text(BERTHS.replace(" NOT NULL)", " NOT NULL, remark text NOT NULL)"))
    said = "weltigen: 3\nmodel: berth.sql\nentities:\n  berth:\n    rows: 20\n    fields:\n      remark: {kind: {remark: {language: %s}}}\n"
    (tmp_path / "world.yaml").write_text(said % "de-DE")
    rows = weltigen.open_world(tmp_path / "world.yaml").dataset().frame("berth")
    assert rows["remark"].str.contains(r"\b(?:der|die|das|den|ein|eine|wird|ist|bitte)\b", case=False).mean() > 0.6
    (tmp_path / "world.yaml").write_text(said % "tlh")
    with pytest.raises(weltigen.WeltigenError, match=r"(?s)world.yaml:7.*no texts are made in 'tlh'.*there are: en, de, fr, es"):
        weltigen.open_world(tmp_path / "world.yaml")
