"""A declared default is the usual value, whatever a field is called, and everything beside it is of its form."""

from __future__ import annotations

import json
import re
from typing import Any

import pytest

import weltigen

NAMES = [
    "status",
    "kind",
    "mode",
    "level",
    "role",
    "frequency",
    "priority",
    "source",
    "visibility",
    "locale",
    "theme",
    "unit",
    "format",
    "strategy",
]
DEFAULTS = {  # a type, a default as a row holds it, and what all values look like
    "word": ("varchar(20) NOT NULL DEFAULT 'standard'", "standard", r"[a-z][a-z _-]*"),
    "capitals": ("varchar(20) NOT NULL DEFAULT 'PENDING'", "PENDING", r"[A-Z][A-Z_]*"),
    "capital": ("varchar(20) NOT NULL DEFAULT 'Weekly'", "Weekly", r"[A-Z].*"),
    "digits": ("varchar(20) NOT NULL DEFAULT '0'", "0", r"-?\d+(\.\d+)?"),
    "letter": ("char(1) NOT NULL DEFAULT 'N'", "N", r"[A-Z]"),
}


def columns_of(names: list[str], told: str, rows: int = 400) -> dict[str, list[Any]]:
    listed = ", ".join(f"{name} {told}" for name in names)
    world = weltigen.read_model(f"CREATE TABLE crossing (id integer PRIMARY KEY, {listed})", dialect="postgresql")
    frame = world.dataset(rows={"crossing": rows}).frame("crossing")
    return {name: frame[name].tolist() for name in names}


@pytest.mark.parametrize("form", DEFAULTS)
def test_a_default_that_is_a_text_is_the_usual_value(form: str) -> None:
    told, default, pattern = DEFAULTS[form]
    for name, values in columns_of(NAMES, told).items():
        share = values.count(default) / len(values)
        assert 0.3 <= share <= 1, (name, share, set(values))
        odd = {value for value in values if not re.fullmatch(pattern, value)}
        assert not odd, (name, odd)


@pytest.mark.parametrize("default", [2, 5, 30, 100, -1])
@pytest.mark.parametrize("kind", ["smallint", "integer", "numeric(8,2)"])
def test_a_default_that_is_a_number_is_the_usual_one_and_the_others_lie_near(kind: str, default: int) -> None:
    names = [
        "retries",
        "sort_order",
        "weight",
        "lead_time_days",
        "limit_value",
        "threshold",
        "extra",
        "points",
        "margin_value",
        "window_size",
    ]
    for name, values in columns_of(names, f"{kind} NOT NULL DEFAULT {default}").items():
        numbers = [float(value) for value in values]
        usual = sum(number == default for number in numbers) / len(numbers)
        near = sorted(abs(number - default) for number in numbers)[len(numbers) // 2]
        assert usual >= 0.25 or near <= max(6.0, 2.5 * abs(default)), (name, usual, near, sorted(set(numbers))[:8])
        assert default == -1 or min(numbers) >= 0, (name, min(numbers))


@pytest.mark.parametrize(
    ("told", "share"),
    [("boolean NOT NULL DEFAULT true", 0.7), ("boolean NOT NULL DEFAULT false", 0.5), ("smallint NOT NULL DEFAULT 0", 0.5)],
)
def test_a_flag_mostly_has_its_default(told: str, share: float) -> None:
    names = [
        "is_active",
        "visible",
        "hidden",
        "archived",
        "needs_review",
        "sent",
        "allow_pets",
        "has_lift",
        "enabled",
        "verified",
    ]
    for name, values in columns_of(names, told, 800).items():
        default = {"true": True, "false": False, "0": 0}[told.split()[-1]]
        assert share <= values.count(default) / len(values) < 1, (name, values.count(default) / len(values))


@pytest.mark.parametrize("default", ["{}", "[]", '{"a": 1}', '["x"]'])
def test_a_default_that_is_json_leaves_its_own_shape(default: str) -> None:
    for name, values in columns_of(["settings", "extra", "things", "meta"], f"jsonb NOT NULL DEFAULT '{default}'", 200).items():
        kinds = {type(json.loads(value)) for value in values}
        assert kinds == {type(json.loads(default))}, (name, kinds, values[0])
        own = json.loads(default)
        if isinstance(own, dict) and own:
            assert all(set(json.loads(value)) == set(own) for value in values), (name, values[0])
