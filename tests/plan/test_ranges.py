"""Arithmetic on ranges: whatever an expression comes to lies within what is said of it, and what is said to be never null never is."""

from __future__ import annotations

from random import Random

import pyarrow as pa
import pyarrow.compute as pc
import pytest

import weltigen
from weltigen.expression import NotEvaluableError
from weltigen.plan import Plan, bind
from weltigen.planning.knowledge.ranges import Ranges

WORLD = """
weltigen: 3
window: [2024-01-01, 2024-03-01]
entities:
  kiln:
    rows: 40
    key: [kiln_id]
    fields: {kiln_id: {type: integer}, heat: {type: integer, null: false, minimum: 2, maximum: 9}}
  pot:
    rows: 600
    key: [pot_id]
    references: {kiln: {to: kiln}}
    fields:
      pot_id: {type: integer}
      a: {type: integer, null: false, minimum: -4, maximum: 7}
      b: {type: "numeric(5,2)", null: false, minimum: 0.5, maximum: 3}
      c: {type: integer, minimum: 1, maximum: 5, present: 70%}
      w: {type: integer, null: false, weights: {3: 1, 11: 2}}
      k: {type: integer, null: false, const: 6}
      made_at: {type: timestamp, null: false}
      ready_at: {type: timestamp, null: false, compute: "made_at + w * interval '1 hour'"}
      sum: {type: "numeric(9,2)", null: false, compute: a + b}
"""
NUMBERS = [
    "a", "b", "c", "w", "k", "sum", "kiln.heat", "2", "0.25", "({n} + {n})", "({n} - {n})", "({n} * {n})", "(-{n})", "abs({n})",
    "round({n}, 1)", "floor({n})", "ceil({n})", "coalesce(c, {n})", "greatest({n}, {n})", "least({n}, {n})", "nullif({n}, 3)",
    "CASE WHEN {t} THEN {n} ELSE {n} END", "CASE WHEN {t} THEN {n} END", "({n} / 4.0)", "({n} / (kiln.heat + 1.0))",
]  # fmt: skip
TRUTHS = ["{n} > {n}", "{n} <= {n}", "{n} = {n}", "{n} <> {n}", "c IS NOT NULL", "({t} AND {t})", "({t} OR {t})"]


@pytest.fixture(scope="module")
def dataset(tmp_path_factory: pytest.TempPathFactory) -> weltigen.api.Dataset:
    path = tmp_path_factory.mktemp("kilns") / "world.yaml"
    path.write_text(WORLD)
    return weltigen.open_world(path).dataset()


def made(chance: Random, kind: str, depth: int) -> str:
    forms = NUMBERS if kind == "n" else TRUTHS
    text = chance.choice(forms if depth else forms[:9] if kind == "n" else ["a > 1", "c IS NOT NULL", "b < 2"])
    while (at := text.find("{")) >= 0:
        text = text[:at] + made(chance, text[at + 1], depth - 1 if depth else 0) + text[at + 3 :]
    return text


def ranges_of(plan: Plan) -> Ranges:
    return Ranges(plan, plan.entities["pot"])


@pytest.mark.parametrize("seed", range(250))
def test_values_lie_within_their_range_and_what_is_certain_is_so(dataset: weltigen.api.Dataset, seed: int) -> None:
    chance, plan = Random(seed), dataset.plan
    rows = dataset.runtime.rows("pot", pa.array(range(600)).to_numpy())
    expression = made(chance, "n", 3)
    formula = bind(plan.world, plan.entities["pot"].entity, expression)
    span = ranges_of(plan).values(formula)
    values = formula.values(rows).cast(pa.float64())
    ends = pc.min_max(values).as_py()
    if ends["min"] is not None:
        assert span.low is None or float(span.low) - 1e-6 <= ends["min"], (expression, str(span), ends)
        assert span.high is None or ends["max"] <= float(span.high) + 1e-6, (expression, str(span), ends)
    assert span.null or not values.null_count, expression
    condition = made(chance, "t", 2)
    formula = bind(plan.world, plan.entities["pot"].entity, condition)
    always = ranges_of(plan).truth(formula)
    truth = formula.values(rows)
    if always is not None:
        assert pc.all(pc.fill_null(truth, True)).as_py() if always else not pc.any(pc.fill_null(truth, True)).as_py(), condition


@pytest.mark.parametrize(("condition", "always"), [
    ("a >= -4", True), ("a > 7", False), ("a > 6", None), ("b * w >= 1.5", True), ("b * w < 1", False), ("sum >= 0 - 4", True),
    ("ready_at > made_at", True), ("ready_at < made_at", False), ("ready_at >= made_at + 3 * interval '1 hour'", True),
    ("made_at > ready_at - 12 * interval '1 hour'", True), ("c >= 1", True), ("c > 5", None), ("c IS NOT NULL", None), ("k = 6", None),
    ("k <> 7", True), ("k = 7", False), ("sum > a", True), ("sum - a >= 0.49", True), ("NOT (k <> 7)", False),
    ("a > 100 OR k <> 7", True), ("a > 100 AND c > 2", False), ("kiln.heat BETWEEN 2 AND 9", True), ("greatest(a, w) >= 3", True),
])  # fmt: skip
def test_what_always_or_never_holds_is_shown(dataset: weltigen.api.Dataset, condition: str, always: bool | None) -> None:
    formula = bind(dataset.plan.world, dataset.plan.entities["pot"].entity, condition)
    assert ranges_of(dataset.plan).truth(formula) is always


def test_an_expression_that_names_what_is_not_there_has_no_meaning(dataset: weltigen.api.Dataset) -> None:
    for wrong in ("colour", "kiln.colour", "oven.heat", "sum(lid.a)", "count(kiln)"):
        with pytest.raises(NotEvaluableError):
            bind(dataset.plan.world, dataset.plan.entities["pot"].entity, wrong)
