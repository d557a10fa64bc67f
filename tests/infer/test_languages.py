"""The same field in four languages holds the same sort of value, in the words of its own."""

from __future__ import annotations

import pytest

import weltigen
from weltigen.model import ComputeSource, KindSource, PatternSource, WeightsSource

# by kind of value: a type, and the name in English, German, French and Spanish
SAME = {
    "given-name": ("varchar(60)", "first_name vorname prenom nombre_pila"),
    "family-name": ("varchar(60)", "last_name nachname nom_famille apellidos"),
    "email": ("varchar(90)", "email email courriel correo_electronico"),
    "tel": ("varchar(25)", "phone telefonnummer telephone telefono"),
    "street-address": ("varchar(90)", "street strasse rue calle"),
    "postal-code": ("varchar(12)", "postal_code postleitzahl code_postal codigo_postal"),
    "town": ("varchar(60)", "city stadt ville ciudad"),
    "iso-3166-country": ("char(2)", "country_code laendercode code_pays codigo_pais"),
    "bday": ("date", "birth_date geburtsdatum date_naissance fecha_nacimiento"),
    "moment": ("timestamp", "created_at erstellt_am cree_le creado_en"),
    "iban": ("varchar(34)", "iban iban iban iban"),
    "password": ("varchar(120)", "password passwort mot_de_passe contrasena"),
    "text remark": ("text", "remark bemerkung remarque observaciones"),
    "text description": ("text", "description beschreibung description descripcion"),
    "number price": ("numeric(8,2)", "price preis prix precio"),
    "number weight": ("numeric(8,2)", "weight_kg gewicht_kg poids_kg peso_kg"),
    "number count": ("integer", "quantity anzahl quantite cantidad"),
    "flag": ("boolean", "active aktiv actif activo"),
    "status": ("varchar(20)", "status status statut estado"),
    "uri": ("varchar(200)", "website webseite site_web sitio_web"),
}
# what makes a model one of its language
BESIDE = {
    0: "remark text, name text", 1: "bemerkung text, anrede varchar(10), hausnummer varchar(6), geaendert_am timestamp",
    2: "remarque text, civilite varchar(10), adresse text, modifie_le timestamp", 3: "observaciones text, tratamiento varchar(10), direccion text, modificado_en timestamp",
}  # fmt: skip
NOUNS = ("member", "mitglied", "adherent", "socio")


def kind_of(field: weltigen.World) -> str:
    match field.source:  # type: ignore[attr-defined]
        case KindSource(kind="text", parameters=parameters):
            return f"text {dict(parameters)['purpose']}"
        case KindSource(kind="number"):
            return "number"
        case KindSource(kind=kind):
            return kind
        case WeightsSource():
            return "weights"
        case PatternSource():
            return "pattern"
        case ComputeSource():
            return "computed"
    return "nothing"


@pytest.mark.parametrize("language", range(4))
@pytest.mark.parametrize("wanted", SAME)
def test_a_field_means_the_same_in_four_languages(wanted: str, language: int) -> None:
    kind, names = SAME[wanted]
    name, noun = names.split()[language], NOUNS[language]
    beside = ", ".join(column for column in BESIDE[language].split(", ") if column.split()[0] != name)
    world = weltigen.read_model(
        f"CREATE TABLE {noun} (id integer PRIMARY KEY, {name} {kind} NOT NULL, {beside})", dialect="postgresql"
    )
    found = kind_of(world.declared.entity(noun).field(name))
    plain = wanted.split()[0] if wanted.startswith("number") else {"flag": "weights", "status": "weights"}.get(wanted, wanted)
    assert found == plain, name


@pytest.mark.parametrize("wanted", ["number price", "number weight", "number count"])
def test_numbers_have_the_same_sizes_in_four_languages(wanted: str) -> None:
    kind, names = SAME[wanted]
    sizes = []
    for language, name in enumerate(names.split()):
        world = weltigen.read_model(
            f"CREATE TABLE {NOUNS[language]} (id integer PRIMARY KEY, {name} {kind} NOT NULL, {BESIDE[language]})",
            dialect="postgresql",
        )
        sizes.append(float(world.dataset(rows={NOUNS[language]: 800}).frame(NOUNS[language])[name].astype(float).median()))
    assert max(sizes) < 3 * min(sizes), dict(zip(names.split(), sizes, strict=True))


@pytest.mark.parametrize(("language", "states"), [(1, "aktiv offen bezahlt neu erledigt geschlossen abgeschlossen"), (2, "actif ouvert payé nouveau terminé fermé"),
                                                  (3, "activo abierto pagado nuevo cerrado terminado")])  # fmt: skip
def test_states_are_told_in_the_models_own_language(language: int, states: str) -> None:
    name, nouns = (
        SAME["status"][1].split()[language],
        {1: "rechnung auftrag mitglied", 2: "facture commande adherent", 3: "factura pedido socio"}[language],
    )
    for noun in nouns.split():
        world = weltigen.read_model(
            f"CREATE TABLE {noun} (id integer PRIMARY KEY, {name} varchar(20) NOT NULL, {BESIDE[language]})", dialect="postgresql"
        )
        found = set(world.dataset(rows={noun: 300}).frame(noun)[name])
        assert found & set(states.split()) and not found & {"active", "open", "paid", "new", "closed", "inactive"}, (noun, found)


def test_spanish_participles_of_women_tell_of_moments_and_places_have_names_of_the_language() -> None:
    rows = weltigen.read_model(
        "CREATE TABLE refugio (id serial PRIMARY KEY, nombre varchar(80) NOT NULL, valle varchar(60) NOT NULL, plazas integer NOT NULL);"
        "CREATE TABLE reserva (id serial PRIMARY KEY, refugio_id integer NOT NULL REFERENCES refugio(id), personas smallint NOT NULL,"
        " creada_en timestamp NOT NULL, estado varchar(20) NOT NULL, cancelada_en timestamp, pagada_el date, direccion_viento varchar(3) NOT NULL,"
        " visibilidad varchar(12) NOT NULL);"
    ).dataset(times=5)
    booked, huts = rows.frame("reserva"), rows.frame("refugio")
    assert booked["personas"].min() >= 1 and set(booked["direccion_viento"]) <= {
        "N",
        "NE",
        "E",
        "SE",
        "S",
        "SW",
        "W",
        "NW",
        "SO",
        "O",
        "NO",
    }
    assert booked["cancelada_en"].notna().mean() < 0.4
    later = booked.dropna(subset=["cancelada_en"])
    assert (later["cancelada_en"] >= later["creada_en"]).all() and set(later["estado"].str[:6]) <= {"cancel"}
    assert "good" not in set(booked["visibilidad"])
    assert huts["nombre"].str.contains("del|de la|mora|blanca|clara|alta|seca", case=False).mean() > 0.8


@pytest.mark.parametrize(
    ("table", "column", "language", "some"),
    [("zahlungsart", "bezeichnung", "de", "Lastschrift"), ("modes_paiement", "libelle", "fr", "Virement"), ("formas_pago", "nombre", "es", "Transferencia")],
)  # fmt: skip
def test_what_rows_of_a_list_are_called_is_said_in_the_language(table: str, column: str, language: str, some: str) -> None:
    beside = {
        "de": "vorname text, nachname text, strasse text",
        "fr": "prenom text, nom text, adresse text, code_postal text, ville text, courriel text",
        "es": "nombre text, apellidos text, calle text, codigo_postal text, ciudad text, correo text",
    }
    whose = {"de": "kunde", "fr": "adherent", "es": "socio"}
    people = f"CREATE TABLE {whose[language]} (id integer PRIMARY KEY, {beside[language]}, way_id integer NOT NULL REFERENCES {table});"
    sql = f"CREATE TABLE {table} (id integer PRIMARY KEY, {column} varchar(60) NOT NULL UNIQUE); {people}"
    names = weltigen.read_model(sql).dataset().frame(table)[column]
    assert some in set(names) and "Bank transfer" not in set(names) and names.is_unique, names.tolist()


MATCHES = (
    "match team opponent season", "spiel mannschaft gegner saison", "match equipe adversaire saison", "partido equipo rival temporada"
)  # fmt: skip


@pytest.mark.parametrize("language", range(4))
def test_a_team_plays_another_team_in_a_season_of_two_years(language: int) -> None:
    match, team, opponent, season = MATCHES[language].split()
    beside = BESIDE[language].replace(", name text", "")
    rows = weltigen.read_model(
        f"CREATE TABLE {team} (id integer PRIMARY KEY, name varchar(60) NOT NULL, {season} varchar(9) NOT NULL, {beside});"
        f"CREATE TABLE {match} (id integer PRIMARY KEY, {team}_id integer NOT NULL REFERENCES {team}, {opponent} varchar(60) NOT NULL)"
    ).dataset(rows={team: 40, match: 120})
    assert rows.frame(team)[season].str.fullmatch(r"20\d\d/\d\d").all()
    assert set(rows.frame(match)[opponent]) & set(rows.frame(team)["name"])


COURSES = ("course title", "kurs titel", "cours titre", "curso titulo")


@pytest.mark.parametrize("language", range(4))
def test_what_bears_a_title_is_called_by_it(language: int) -> None:
    course, title = COURSES[language].split()
    world = weltigen.read_model(
        f"CREATE TABLE {course} (id integer PRIMARY KEY, {title} varchar(80) NOT NULL, {BESIDE[language]});"
    ).declared
    source = world.entity(course).field(title).source
    assert isinstance(source, KindSource) and source.kind == "thing-name", source
