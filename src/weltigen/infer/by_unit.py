"""Numbers of which only the unit is known: how large such mostly are, whatever they measure."""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Field
from ..model.types import INTEGERS, NUMBERS
from .around import Around, Guessed
from .naming import folded
from .offers import by_number

# by the last parts of a name: what most that is told in such a unit lies between
_RATIOS = {
    "mg_l": "0.2 120 tail", "ug_l": "0.1 80 tail", "g_l": "0.5 60 tail", "ng_l": "1 240 tail", "ng_ml": "0.2 90 tail",
    "g_dl": "2 16 hump", "mg_dl": "18 190 hump", "mmol_l": "0.4 12 hump", "g_kg": "0.5 80 tail", "mg_kg": "0.5 240 tail",
    "ug_m3": "2 90 tail", "mg_m3": "0.1 40 tail", "g_m3": "0.5 40 tail", "g_m2": "40 400 hump", "kg_m2": "2 90 tail",
    "kg_m3": "400 2600 hump", "g_cm3": "0.7 3.2 hump", "kg_ha": "20 9000 tail", "t_ha": "0.8 42 tail",
    "l_ha": "40 600 hump", "us_cm": "120 1800 hump", "ms_cm": "0.3 48 tail", "ms_m": "2 140 tail", "m_s": "0.3 16 tail",
    "cm_s": "1 90 tail", "mm_s": "0.2 18 tail", "m_s2": "0.1 12 tail", "deg_s": "0.1 40 tail", "l_min": "1 120 tail",
    "ml_min": "2 240 tail", "l_h": "2 900 tail", "l_s": "0.5 80 tail", "m3_h": "0.5 240 tail", "m3_s": "0.4 140 tail",
    "m3_d": "4 2400 tail", "kg_h": "2 900 tail", "mm_h": "0.2 32 tail", "mm_d": "0.5 14 hump", "w_m2": "20 980 hump",
    "kwh_m2": "20 220 hump", "kwh_d": "2 90 tail", "wh_kg": "80 280 hump", "w_kg": "1.5 5.5 hump", "n_mm2": "12 420 hump",
    "kn_m2": "1 40 tail", "kn_m": "1 120 tail", "nm_rad": "0.5 80 tail", "j_kg": "200 4200 hump", "c_min": "0.5 12 hump",
    "per_min": "2 140 tail", "per_h": "1 90 tail", "per_m2": "1 60 tail", "per_ha": "20 2400 tail", "kg_m": "0.2 60 tail",
    "g_m": "2 90 tail", "mpg": "18 62 hump", "l_100km": "4.2 12 hump",
}  # fmt: skip
_UNITS = {
    "mbar": "2 1040 tail", "kpa": "20 420 hump", "hpa": "960 1040 hump", "mpa": "1 60 tail", "khz": "1 96 tail",
    "ghz": "0.9 43 tail", "mv": "5 900 hump", "kv": "0.4 132 tail", "ma": "1 800 tail", "kw": "1 320 tail",
    "mw": "0.5 180 tail", "mwh": "0.5 900 tail", "kj": "10 2400 tail", "kn": "1 600 tail", "ohm": "1 9000 tail",
    "ohms": "1 9000 tail", "um": "1 400 tail", "mi": "1 320 tail", "cl": "5 100 hump", "m3": "0.5 900 tail",
    "m2": "4 900 tail", "cfm": "20 1800 tail", "mms": "0.2 18 tail", "px": "16 1920 tail", "dpi": "96 600 hump",
    "mbps": "5 940 tail", "gb": "1 900 tail", "tb": "0.5 40 tail", "mb": "0.5 900 tail", "fps": "12 60 hump",
    "pa": "5 900 tail", "nm": "2 400 tail", "weeks": "1 26 tail", "ms2": "0.1 12 tail", "degc": "4 85 hump",
    "degf": "28 180 hump", "ph": "5.2 8.6 hump", "ntu": "0.1 8 tail", "fnu": "0.1 8 tail", "ppt": "0.5 36 hump",
    "psu": "2 38 hump", "cps": "10 4200 tail", "va": "5 2400 tail", "kva": "1 630 tail", "hp": "2 420 tail",
    "bpm": "52 168 hump", "dbm": "-92 -40 hump", "lbf": "4 900 tail",
}  # fmt: skip
# letters that stand for other things as well
_LETTERS = {
    "c": "4 85 hump", "f": "28 180 hump", "k": "3 320 hump", "v": "3 400 tail", "a": "0.2 63 tail", "w": "5 2400 tail",
    "n": "5 2400 tail", "j": "1 900 tail", "m": "1 60 tail", "l": "0.5 400 tail", "g": "1 900 tail", "t": "0.2 40 tail",
    "h": "0.5 48 tail",
}  # fmt: skip


def by_unit(around: Around, field: Field) -> Iterator[Guessed]:
    """What a number lies between by the unit at the end of its name."""
    words, parts = around.words[field.name], folded(field.name).split("_")
    if field.type.name not in NUMBERS or not words or len(words) + len(parts) < 3:
        return
    both, last = "_".join(parts[-2:]), next((one for one in (words[-1], parts[-1]) if one in _RATIOS or one in _UNITS), "")
    if both in _RATIOS and len(parts) > 2:
        span, sure = _RATIOS[both], 0.83
    elif last:
        span, sure = _RATIOS.get(last) or _UNITS[last], 0.47
    elif words[-1] in _LETTERS and len((words if len(words) > 1 else parts)[-2]) > 2:
        span, sure = _LETTERS[words[-1]], 0.45
    else:
        return
    if field.type.name in INTEGERS and span.startswith("0."):
        span = f"1 {span.partition(' ')[2]}"
    made = by_number(field, span, f"a number in {both if sure > 0.8 else words[-1]}, by the end of its name", sure)
    yield from () if made is None else (made,)
