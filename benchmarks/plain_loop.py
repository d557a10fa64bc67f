"""What a practitioner writes by hand for the passenger and booking tables: dicts, `random`, and sets of used values.

It is written with care for speed (names bound once, no needless objects), and makes the same columns under the same rules:
unique e-mails and references, bookings before the departure of their sailing, cancelled only when cancelled, and totals that are
the sums of tickets.
"""

from __future__ import annotations

import random
import string
from datetime import date, datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

DOMAINS = ("example.com", "example.org", "mail.example", "post.example")
LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"
REMARKS = ("The crossing was calm.", "The queue was long, but the crew was kind.", "We would come again.", "The tea was cold.")
PLACES = ("Skerrow", "Hollin", "Ulvness", "Tarnholm", "Merlsund", "Quarney", "Dunin", "Ithhaven", "Undmouth", "Iskstow")
WAYS = ("Road", "Lane", "Street", "Row", "Terrace", "Quay")
CENT = Decimal("0.01")
DISCOUNTS = (Decimal(0), Decimal("0.10"), Decimal("0.25"), Decimal("0.50"))
USUAL, FREQUENT = (DISCOUNTS, (84, 10, 5, 1)), (DISCOUNTS, (30, 45, 20, 5))
Row = dict[str, Any]


def make_passengers(count: int, given: tuple[str, ...], family: tuple[str, ...]) -> list[Row]:
    choice, randrange, chance = random.choice, random.randrange, random.random
    used: set[str] = set()
    first_day, joined_from = date(1936, 1, 1), datetime(2021, 1, 1)
    rows = []
    for number in range(1, count + 1):
        given_name, family_name = choice(given), choice(family)
        base = f"{given_name.lower()}.{family_name.lower()}"
        email, again = f"{base}@{choice(DOMAINS)}", 2
        while email in used:
            email, again = f"{base}{again}@{choice(DOMAINS)}", again + 1
        used.add(email)
        at_home = chance() < 0.8
        rows.append({
            "passenger_id": number,
            "given_name": given_name,
            "family_name": family_name,
            "email": email,
            "phone": f"+447700900{randrange(1000):03d}" if chance() < 0.7 else None,
            "street": f"{randrange(1, 200)} {choice(PLACES)} {choice(WAYS)}" if at_home else None,
            "postal_code": f"QV{randrange(1, 10)} {randrange(1, 10)}{choice(LETTERS)}{choice(LETTERS)}" if at_home else None,
            "city": choice(PLACES) if at_home else None,
            "born_on": first_day + timedelta(days=randrange(26_000)),
            "joined_at": joined_from + timedelta(seconds=randrange(94_600_000)),
            "marketing_consent": chance() < 0.5,
            "loyalty_tier": random.choices(("none", "silver", "gold"), (75, 20, 5))[0],
            "photo_path": f"{choice(LETTERS).lower()}/{randrange(10**8):08d}.jpg" if chance() < 0.3 else None,
        })  # fmt: skip
    return rows


def make_bookings(sailings: list[tuple[int, datetime]], passengers: int) -> list[Row]:
    choice, randrange, chance = random.choice, random.randrange, random.random
    used: set[str] = set()
    rows: list[Row] = []
    number, frequent = 0, passengers * 8 // 100
    fares = [Decimal(randrange(60, 600)).scaleb(-1) for _ in range(240)]
    for sailing_id, departs_at in sailings:
        for _ in range(0 if chance() < 0.03 else min(90, max(1, round(random.gammavariate(2.8, 9.2))))):
            number += 1
            reference = ""
            while not reference or reference in used:
                letters = choice(LETTERS) + choice(LETTERS) + choice(LETTERS)
                reference = f"{letters}{choice(string.digits)}-{randrange(10_000):04d}"
            used.add(reference)
            booked_at = departs_at - timedelta(seconds=randrange(1, 7_776_000))
            passenger_id = int(passengers * chance() ** 2) + 1
            discounts, shares = USUAL if passenger_id > frequent else FREQUENT
            total = Decimal(0)
            for _ in range(random.choices((1, 2, 3, 4, 5, 6), (38, 31, 12, 11, 4, 4))[0]):
                fare, discount = choice(fares), random.choices(discounts, shares)[0]
                total += (fare * (1 - discount)).quantize(CENT, ROUND_HALF_UP)
            status = random.choices(("paid", "held", "cancelled"), (80, 12, 8))[0]
            rows.append({
                "booking_id": number,
                "sailing_id": sailing_id,
                "passenger_id": passenger_id,
                "reference": reference,
                "booked_at": booked_at,
                "status": status,
                "cancelled_at": booked_at + timedelta(seconds=randrange(1, 5_000_000)) if status == "cancelled" else None,
                "passengers": random.choices((1, 2, 3, 4, 5, 6), (38, 31, 12, 11, 4, 4))[0],
                "total": total,
                "remark": choice(REMARKS) if chance() < 0.15 else None,
            })  # fmt: skip
    return rows
