"""Fields that tell of one place, or of one person, agree in every row: whichever of them a table has, in four languages."""

from __future__ import annotations

import random
import re
from collections import defaultdict
from functools import lru_cache
from unicodedata import normalize

import pandas as pd
import pytest

import weltigen
from weltigen.values.atlas import countries, data_by_country, every_town

PLACE = {  # what a part of a place is called
    "en": {"town": "city", "code": "country_code", "country": "country", "postal": "postal_code", "lat": "latitude", "lon": "longitude",
           "zone": "time_zone", "phone": "phone", "currency": "currency", "region": "region", "street": "street"},
    "de": {"town": "ort", "code": "laendercode", "country": "land", "postal": "plz", "lat": "breitengrad", "lon": "laengengrad",
           "zone": "zeitzone", "phone": "telefon", "currency": "waehrung", "region": "bundesland", "street": "strasse"},
    "fr": {"town": "ville", "code": "code_pays", "country": "pays", "postal": "code_postal", "lat": "latitude", "lon": "longitude",
           "zone": "fuseau_horaire", "phone": "telephone", "currency": "devise", "region": "region", "street": "rue"},
    "es": {"town": "ciudad", "code": "codigo_pais", "country": "pais", "postal": "codigo_postal", "lat": "latitud", "lon": "longitud",
           "zone": "zona_horaria", "phone": "telefono", "currency": "moneda", "region": "provincia", "street": "calle"},
}  # fmt: skip
PERSON = {
    "en": {"given": "first_name", "family": "last_name", "full": "full_name", "email": "email", "login": "username", "sex": "gender", "title": "salutation"},
    "de": {"given": "vorname", "family": "nachname", "email": "email", "login": "benutzername", "sex": "geschlecht", "title": "anrede"},
    "fr": {"given": "prenom", "family": "nom", "email": "courriel", "login": "identifiant", "sex": "sexe", "title": "civilite"},
    "es": {"given": "nombre", "family": "apellidos", "email": "correo", "login": "usuario", "sex": "sexo", "title": "tratamiento"},
}  # fmt: skip
# names that tell the language of the model, beside those that are looked at
TELLS = {"en": "remark", "de": "bemerkung", "fr": "remarque", "es": "observaciones"}
NOUNS = {"en": "keeper", "de": "mitglied", "fr": "adherent", "es": "socio"}
TYPES = {"code": "char(2)", "lat": "numeric(8,5)", "lon": "numeric(8,5)", "currency": "char(3)", "phone": "varchar(25)"}


def rows_of(language: str, parts: dict[str, str], chosen: list[str], seed: int) -> pd.DataFrame:
    """400 rows of a table with the chosen parts, by what each part is."""
    dice = random.Random(seed)
    columns = [f"{parts[part]} {TYPES.get(part, 'varchar(120)')} NOT NULL" for part in chosen]
    columns += [f"{TELLS[language]} text", *(["erstellt_am timestamp"] if language == "de" else [])]
    dice.shuffle(columns)
    noun = NOUNS[language]
    world = weltigen.read_model(f"CREATE TABLE {noun} (id integer PRIMARY KEY, {', '.join(columns)});", dialect="postgresql")
    frame = world.dataset(rows={noun: 400}, seed=seed).frame(noun)
    return frame.rename(columns={parts[part]: part for part in chosen})


@lru_cache(maxsize=1)
def towns() -> dict[str, list[tuple[str, str, float, float]]]:
    """By name, the country's code, the time zone and where the town lies."""
    every, out = every_town(), defaultdict(list)
    own = data_by_country("town_names")
    for at, english in enumerate(every.names):
        for name in {english, own.get(every.countries[at], {}).get(english, english)}:  # also as the town is called at home
            out[name].append((every.countries[at], every.zones[at], float(every.latitude[at]), float(every.longitude[at])))
    return out


@pytest.mark.parametrize("seed", range(32))
def test_parts_of_a_place_agree(seed: int) -> None:
    dice = random.Random(seed)
    language = list(PLACE)[seed % 4]
    parts = PLACE[language]
    chosen = ["town", *dice.sample([part for part in parts if part != "town"], dice.randint(2, len(parts) - 1))]
    rows, known = rows_of(language, parts, chosen, seed), countries()
    assert set(rows["town"]) <= towns().keys() and rows["town"].nunique() > 40, (chosen, rows["town"][:5].tolist())
    for row in rows.to_dict("records"):
        meant = towns()[row["town"]]
        if "code" in row:
            meant = [one for one in meant if one[0] == row["code"]]
        if "zone" in row:
            meant = [one for one in meant if one[1] == row["zone"]]
        if "lat" in row:
            meant = [one for one in meant if abs(float(row["lat"]) - one[2]) < 0.1]
        if "lon" in row:
            meant = [one for one in meant if abs(float(row["lon"]) - one[3]) < 0.15]
        if "currency" in row:
            meant = [one for one in meant if known[one[0]].currency == row["currency"]]
        if "phone" in row:
            meant = [
                one
                for one in meant
                if row["phone"].lstrip("+0").startswith(known[one[0]].phone) or not row["phone"].startswith("+")
            ]
        assert meant, row


def letters(text: str) -> str:
    plain = normalize("NFKD", text.lower().replace("ß", "ss").replace("ä", "ae").replace("ö", "oe").replace("ü", "ue"))
    return re.sub("[^a-z]", "", plain.encode("ascii", "ignore").decode())


FEMALE = {"female", "weiblich", "femme", "mujer", "f", "w", "ms", "mrs", "miss", "frau", "mme", "mlle", "sra.", "sra", "dña."}
MALE = {"male", "männlich", "homme", "hombre", "m", "mr", "herr", "m.", "sr.", "sr", "d."}


@pytest.mark.parametrize("seed", range(32))
def test_parts_of_a_person_agree(seed: int) -> None:
    dice = random.Random(seed)
    language = list(PERSON)[seed % 4]
    parts = PERSON[language]
    others = [part for part in parts if part not in ("given", "family")]
    chosen = ["given", "family", *dice.sample(others, dice.randint(1, len(others)))]
    rows = rows_of(language, parts, chosen, seed)
    assert rows["given"].nunique() > 60 and rows["family"].nunique() > 80
    for row in rows.to_dict("records"):
        given, family = letters(row["given"]), letters(row["family"].split()[0])
        if "full" in row:
            assert row["given"] in row["full"] and row["family"] in row["full"], row
        for part in ("email", "login"):
            said = letters(row.get(part, "").split("@")[0])
            assert part not in row or (given[:1] in said and (family[:3] in said or given[:3] in said)), row
        if {"sex", "title"} <= row.keys():
            sexes = {row["sex"].lower(), row["title"].lower()}
            assert not (sexes & FEMALE and sexes & MALE), row
    if "sex" in rows:  # nobody's given name is of both
        of = {sex: set(group["given"]) for sex, group in rows.groupby(rows["sex"].str.lower())}
        women = set().union(*(names for sex, names in of.items() if sex in FEMALE))
        men = set().union(*(names for sex, names in of.items() if sex in MALE))
        assert women and men and len(women & men) <= 0.1 * len(women | men), sorted(women & men)
