"""Number plates of vehicles, in the form that a country gives them."""

from __future__ import annotations

from dataclasses import replace

from .registry import KindError, Prepared, Request, declare, get_kind

# The series that each country issues now, as its rules give them; letters that are left out look like others.
_FORMS = {
    "de": "[A-Z]{1,2}-[A-Z]{1,2} [1-9][0-9]{1,3}",  # Fahrzeug-Zulassungsverordnung 2023, § 9: district, letters, digits
    "fr": "[A-HJ-NP-TV-Z]{2}-[0-9]{2}[1-9]-[A-HJ-NP-TV-Z]{2}",  # arrêté du 9 février 2009: neither I, O nor U
    "gb": "[A-HJ-PR-Y]{2}(0[2-9]|[1-6][0-9]|7[0-6]) [A-HJ-PR-Z]{3}",  # Display of Registration Marks Regulations 2001
    "it": "[A-HJ-NPR-TV-Z]{2}[0-9]{3}[A-HJ-NPR-TV-Z]{2}",  # legge 133/1993: neither I, O, Q nor U
    "nl": "[BDFGHJKLNPRSTVXZ]{2}-[0-9]{3}-[BDFGHJKLNPRSTVXZ]",  # Regeling kentekens: consonants, so that no words come out
}


@declare("vehicle-plate", "A number plate in the form of a country: de, fr, gb, it or nl; gb when not given.",
         standard="each country's rules of registration", parameters=("country",))  # fmt: skip
def vehicle_plate(request: Request) -> Prepared:
    country = request.parameters.get("country", "gb").lower()
    if country not in _FORMS:
        raise KindError(f"no form of plates is known for the country '{country}': there are {', '.join(_FORMS)}")
    return get_kind("pattern").prepare(replace(request, parameters={"of": _FORMS[country]}))
