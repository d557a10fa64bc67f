"""What the names of fields and entities usually mean: English first, then common German, French and Spanish words.

Each line gives words for one meaning. A word stands for the whole name of a field or for its end (`home_city`); accents,
case and separators do not count. Kinds are those of `weltigen kinds`.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from ..model import TypeName
from ..model.types import INTEGERS, MOMENTS, NUMBERS, TEXTS

Parameters = tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Clue:
    """What a word says of a field of one of these types: a kind with parameters, or values with their weights.

    `share` is how often a nullable field of that name has a value; `end` tells whether the word also counts at a name's end.
    """

    words: str
    kind: str | None = None
    types: frozenset[TypeName] = TEXTS
    parameters: Parameters = ()
    weights: tuple[tuple[str, float], ...] = ()
    pattern: str | None = None
    share: float | None = None
    confidence: float = 0.95
    end: bool = True
    secret: bool = False


def _numbers(
    words: str, low: str, high: str, types: frozenset[TypeName] = NUMBERS, confidence: float = 0.8, end: bool = True
) -> Clue:
    return Clue(words=words, kind="number", types=types, parameters=(("from", low), ("to", high)), confidence=confidence, end=end)


def _weights(words: str, values: str, types: frozenset[TypeName] = TEXTS, confidence: float = 0.5, end: bool = True) -> Clue:
    pairs = tuple((value, float(weight)) for value, weight in (item.split(":") for item in values.split()))
    return Clue(words=words, weights=pairs, types=types, confidence=confidence, end=end)


_FLAG = frozenset({TypeName.BOOLEAN})
_FRACTIONS = NUMBERS - INTEGERS
_UUIDS = TEXTS | {TypeName.UUID}

CLUES = (
    # persons
    Clue(words="given_name first_name firstname forename fname vorname prenom primer_nombre nombre_de_pila", kind="given-name"),
    Clue(words="family_name last_name lastname surname lname nachname familienname nom_de_famille nom_famille apellido apellidos",
         kind="family-name"),
    Clue(words="full_name fullname display_name real_name contact_name person_name screen_name nom_complet nombre_completo", kind="name",
         confidence=0.85),
    Clue(words="username user_name login login_name userid handle nick nickname benutzername nom_utilisateur usuario", kind="username",
         confidence=0.85),
    Clue(words="email e_mail mail email_address mail_address emailadresse courriel correo correo_electronico", kind="email"),
    Clue(words="tel phone telephone mobile cell phone_number mobile_number telephone_number phone_no fax telefon telefonnummer handy "
               "telefono movil portable", kind="tel"),
    Clue(words="bday birthday birth_date birthdate date_of_birth dob born born_on geburtsdatum geburtstag date_naissance "
               "date_de_naissance fecha_nacimiento fecha_de_nacimiento", kind="bday", types=MOMENTS),
    _weights("gender sex geschlecht sexe sexo", "female:49 male:49 other:2", confidence=0.75),
    _weights("salutation honorific anrede civilite", "Ms:48 Mr:48 Dr:4", confidence=0.7),
    # places
    Clue(words="city town place village municipality birthplace locality ort stadt ville ciudad localidad hometown harbour harbor "
               "place_name city_name", kind="place-name"),
    Clue(words="zip zipcode zip_code postal_code postcode post_code plz postleitzahl code_postal codigo_postal", kind="postal-code",
         confidence=0.9),
    Clue(words="street street_address address address_line address_line1 address1 strasse anschrift adresse rue calle direccion domicilio",
         kind="street-address", confidence=0.85),
    Clue(words="country country_code land pays pais nation nationality iso_country", kind="iso-3166-country", confidence=0.85),
    Clue(words="lat latitude breitengrad latitud", kind="latitude", types=NUMBERS),
    Clue(words="lng lon long longitude laengengrad longitud", kind="longitude", types=NUMBERS),
    Clue(words="time_zone timezone tz zeitzone", kind="time-zone", confidence=0.9),
    # firms and things
    Clue(words="company company_name organization organisation organization_name firm employer carrier operator supplier vendor firma "
               "entreprise societe empresa", kind="organization", confidence=0.85),
    Clue(words="vessel_name ship_name boat_name vessel ship boat ferry", kind="vessel-name", confidence=0.8),
    Clue(words="title titel titre titulo label caption heading subject_line betreff", kind="label", confidence=0.75),
    Clue(words="subject headline notice announcement alert objet asunto", kind="notice", confidence=0.75),
    Clue(words="remark remarks comment comments description desc note notes review feedback body text content summary details message "
               "abstract bio about info beschreibung bemerkung bemerkungen notiz kommentar beschreibungen commentaire remarque "
               "descripcion comentario observaciones reason explanation", kind="remark", confidence=0.85),
    # networks, files, standards
    Clue(words="url uri link href website homepage site web web_site permalink_url webseite site_web feed_url site_url image_url "
               "avatar_url", kind="uri", confidence=0.9),
    Clue(words="ip ip_address ip_addr ipaddr remote_addr remote_ip client_ip ipv4 host_ip", kind="ipv4", types=TEXTS | {TypeName.INET},
         confidence=0.9),
    Clue(words="ipv6", kind="ipv6", types=TEXTS | {TypeName.INET}),
    Clue(words="mac mac_address mac_addr", kind="mac-address", types=TEXTS | {TypeName.MACADDR}, confidence=0.85),
    Clue(words="image_path photo_path picture_path image photo picture avatar image_file logo thumbnail foto bild", kind="file-path",
         confidence=0.75),
    Clue(words="file_path filepath file filename file_name path attachment document dateiname", kind="file-path",
         parameters=(("ending", "pdf"),), confidence=0.65),
    Clue(words="mime_type content_type mimetype media_type", kind="mime-type", confidence=0.9),
    Clue(words="hash digest checksum sha256 sha_256 etag fingerprint", kind="sha-256", confidence=0.75),
    Clue(words="password passwd password_hash passwort kennwort mot_de_passe contrasena pwd pwd_hash pass secret api_key token "
               "access_token refresh_token salt session_key auth_key secret_key", kind="sha-256", confidence=0.65, secret=True),
    Clue(words="uuid guid", kind="uuid", types=_UUIDS),
    Clue(words="iban account_iban bank_account", kind="iban", confidence=0.9, secret=True),
    Clue(words="isbn isbn13 isbn_13", kind="isbn-13"),
    Clue(words="ean ean13 gtin barcode upc", kind="ean-13", confidence=0.85),
    Clue(words="currency currency_code iso_currency waehrung devise moneda", kind="iso-4217-currency", confidence=0.9),
    Clue(words="language lang locale language_code sprache langue idioma", kind="bcp-47-language", confidence=0.8),
    Clue(words="color colour farbe couleur hex_color", pattern="#[0-9a-f]{6}", confidence=0.6),
    Clue(words="code sku ref reference number no nr serial serial_number key tag abbr abbreviation shortcode identifier external_id "
               "nummer kennung numero codigo referencia", kind="code", confidence=0.75),
    # moments
    Clue(words="deleted_at deleted_on deleted removed_at archived_at archived_on trashed_at geloescht_am supprime_le eliminado_en "
               "cancelled_at canceled_at revoked_at banned_at disabled_at suspended_at", kind="date-time", types=MOMENTS, share=0.05,
         confidence=0.85),
    # quantities
    _numbers("price unit_price cost fee fare amount total subtotal net gross balance sum value charge salary wage preis betrag summe kosten "
             "prix montant precio importe coste", "1", "500"),
    _numbers("tax tax_rate vat vat_rate discount discount_rate mwst tva iva", "0", "25", _FRACTIONS, 0.6),
    _numbers("quantity qty count num cnt menge anzahl quantite cantidad stock units pieces seats capacity", "1", "40", confidence=0.75),
    _numbers("age alter edad", "18", "90", INTEGERS, 0.8),
    _numbers("year jahr annee anno yr", "1990", "2026", INTEGERS, 0.85),
    _numbers("month monat mois mes", "1", "12", INTEGERS, 0.8),
    _numbers("weekday day_of_week dow", "1", "7", INTEGERS, 0.8),
    _numbers("hour stunde heure", "0", "23", INTEGERS, 0.8),
    _numbers("percent percentage pct prozent pourcentage porcentaje progress", "0", "100", confidence=0.85),
    _numbers("ratio share probability weight_factor confidence", "0", "1", _FRACTIONS, 0.7),
    _numbers("rating stars score note_value bewertung", "1", "5", confidence=0.75),
    _numbers("position sort sort_order ordinal rank sort_key display_order reihenfolge", "1", "100", INTEGERS, 0.75),
    _numbers("version revision rev schema_version attempts retries retry_count level", "1", "9", INTEGERS, 0.7),
    _numbers("minutes duration_minutes duration_min min mins", "5", "480", confidence=0.65),
    _numbers("seconds duration duration_seconds secs timeout ttl dauer duree", "1", "3600", confidence=0.65),
    _numbers("days", "1", "60", INTEGERS, 0.65),
    _numbers("width height length depth breadth laenge breite hoehe largeur hauteur", "1", "400", confidence=0.65),
    _numbers("weight weight_kg gewicht poids peso mass", "1", "900", confidence=0.7),
    _numbers("size file_size filesize bytes size_bytes groesse taille", "200", "5000000", confidence=0.65),
    _numbers("port port_number", "1024", "49151", INTEGERS, 0.6, end=False),
    _numbers("temperature temp", "-10", "35", confidence=0.6),
    # flags and states
    _weights("is_active active enabled is_enabled visible is_visible published is_published aktiv actif activo valid is_valid verified",
             "true:90 false:10", _FLAG, 0.8),
    _weights("is_deleted deleted hidden is_hidden archived is_archived is_default is_admin admin locked is_locked private is_private "
             "disabled blocked banned spam", "false:92 true:8", _FLAG, 0.8),
    _weights("status state statut estado zustand phase", "active:70 pending:20 closed:10"),
    _weights("type kind category typ art", "standard:70 special:20 other:10", confidence=0.4),
    _weights("priority urgency prioritaet priorite prioridad", "low:30 normal:55 high:15", confidence=0.6),
    _weights("severity loglevel log_level", "info:70 warning:22 error:8", confidence=0.6),
    _weights("role rolle rol user_role", "member:80 editor:15 admin:5"),
    _weights("unit unit_of_measure einheit unite unidad", "piece:60 kg:25 m:15"),
)  # fmt: skip

PERSONS = (
    "passenger person people user member crew pilot captain patient student teacher guest visitor contact staff steward keeper account_holder "
    "client customer employee author subscriber recipient participant attendee owner admin driver doctor nurse agent profile nutzer benutzer kunde mitglied mitarbeiter "
    "personne utilisateur membre cliente usuario miembro crew_member"
).split()
PLACES = (
    "port island city town place region village harbour harbor station district county country location berth lake river area zone venue ort "
    "stadt hafen insel ville port_city pays ciudad puerto isla pais pier site stop"
).split()
VESSELS = "vessel ship boat ferry schiff boot navire bateau barco".split()
FIRMS = (
    "company companies organization organisation operator agency supplier firm carrier shipyard insurer vendor tenant firma unternehmen "
    "entreprise societe empresa manufacturer brand bank employer"
).split()


@lru_cache(maxsize=1)
def by_word() -> dict[str, tuple[Clue, ...]]:
    """The clues of each word, in the order of the list."""
    out: dict[str, tuple[Clue, ...]] = {}
    for clue in CLUES:
        for word in clue.words.split():
            out[word] = (*out.get(word, ()), clue)
    return out
