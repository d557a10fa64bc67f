"""Functions over children come to what pandas makes of the same rows, whichever way the children find their owner."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import pandas as pd
import pyarrow as pa
import pytest

import weltigen

BASE = """
weltigen: 3
window: [2024-01-01, 2025-01-01]
{same}
entities:
  basin:
    rows: 4
    key: [basin_id]
    fields: {{basin_id: {{type: integer}}}}
  dock:
    rows: 60
    key: [dock_id]
    references: {{basin: {{to: basin}}}}
    {dock}
    fields:
      dock_id: {{type: integer}}
      n: {{type: bigint, compute: count(load)}}
      valued: {{type: bigint, compute: count(load.extra)}}
      heavy: {{type: bigint, compute: count(load) FILTER (WHERE load.kind = 'b' AND load.weight > 10)}}
      total: {{type: "numeric(14,3)", compute: "coalesce(sum(load.weight), 0)"}}
      twice: {{type: "numeric(16,4)", compute: "sum(load.weight * load.parts)"}}
      parts: {{type: bigint, compute: sum(load.parts)}}
      ratio: {{type: double precision, compute: sum(load.share)}}
      least: {{type: "numeric(9,3)", compute: min(load.weight)}}
      mean: {{type: "numeric(12,5)", compute: avg(load.weight)}}
      last: {{type: timestamp, compute: max(load.at)}}
      first_kind: {{type: varchar(3), compute: min(load.kind)}}
      above: {{type: bigint, compute: max(load.dock.basin_id)}}
  load:
    {load}
    key: [load_id]
    references: {{dock: {{to: dock{reference}}}{more}}}
    fields:
      load_id: {{type: integer}}
      weight: {{type: "numeric(9,3)", null: false, minimum: -20, maximum: 90}}
      parts: {{type: integer, null: false, minimum: 0, maximum: 9}}
      share: {{type: double precision, null: false, minimum: 0, maximum: 1}}
      extra: {{type: integer}}
      kind: {{type: varchar(3), null: false, weights: {{a: 3, b: 2, c: 1}}}}
      at: {{type: timestamp, null: false}}
"""
COHORT = "cohorts: {busy: {share: 20%, children: {load: {mean: 9, least: 3, most: 15}}}, idle: {share: 10%, children: {load: 0}}}"
WAYS = {
    "the owner": {"load": "rows: {per: dock, mean: 5, most: 14, none: 10%}"},
    "an owner in a cohort": {"load": "rows: {per: dock, mean: 5, most: 14, none: 10%}", "dock": COHORT},
    "a pick by popularity": {"load": "rows: 400"},
    "a pick between limits": {"load": "rows: 300", "reference": ", rows: {least: 3, most: 9}"},
    "a pick by group": {"load": "rows: 400", "dock": COHORT},
    "a pick that need not be": {"load": "rows: 400", "reference": ", present: 60%"},
    "a condition": {"load": "rows: 300", "reference": ", where: dock_id > 20"},
    "an agreement": {"load": "rows: 300", "same": "same: [basin]", "more": ", basin: {to: basin}"},
    "weights": {
        "load": "rows: 200", "dock": "fixed: [{dock_id: 901}, {dock_id: 902}]", "reference": ", weights: {901: 3, 902: 1}",
    },
    "rows given by hand": {"load": "rows: 200\n    fixed: [{load_id: 7001, dock_id: 3}, {load_id: 7002, dock_id: 3}, {load_id: 7003}]"},
    "nobody": {"load": "rows: 0"},
}  # fmt: skip


def opened(folder: Path, way: str) -> weltigen.World:
    parts = {"same": "", "dock": "", "load": "", "reference": "", "more": "", **WAYS[way]}
    (folder / "world.yaml").write_text(BASE.format(**parts))
    return weltigen.open_world(folder / "world.yaml")


@pytest.mark.parametrize("way", WAYS)
def test_functions_over_children_are_what_the_rows_say(way: str, tmp_path: Path) -> None:
    world = opened(tmp_path, way)
    dataset = world.dataset()
    dock, load = dataset.frame("dock").set_index("dock_id"), dataset.frame("load")
    load = load[load["dock_id"].notna()].astype({"dock_id": "int64"})
    by = load.groupby("dock_id")

    def same(name: str, expected: Any, empty: Any = None) -> None:
        wanted = dict.fromkeys(dock.index, empty) | expected.to_dict()
        found = dock[name].astype(object).where(dock[name].notna(), None).to_dict()
        assert found == {key: None if value is None or value is pd.NaT else value for key, value in wanted.items()}, name

    same("n", by.size(), 0)
    same("valued", by["extra"].count(), 0)
    same("heavy", load[(load["kind"] == "b") & (load["weight"] > 10)].groupby("dock_id").size(), 0)
    same("total", by["weight"].sum(), Decimal(0))
    same("twice", load.assign(w=load["weight"] * load["parts"].map(Decimal)).groupby("dock_id")["w"].sum())
    same("parts", by["parts"].sum())
    same("least", by["weight"].min())
    same("first_kind", by["kind"].min())
    same("last", by["at"].max())
    exact = by["weight"].apply(lambda w: (sum(w) / len(w)).quantize(Decimal("0.00001"), ROUND_HALF_UP))
    same("mean", exact if len(load) else pd.Series(dtype=object))
    assert (dock["ratio"].dropna() - by["share"].sum()).abs().max() < 1e-9 or load.empty
    assert (dock["above"].dropna().astype(int) == dock["basin_id"][dock["above"].notna()]).all()
    pieces = pa.Table.from_batches(list(dataset.batches("dock", size=7, workers=2)))
    assert pieces.equals(dataset.table("dock"))
    assert [dict(dataset.row("dock", o)) for o in (0, 17, 59)] == [pieces.slice(o, 1).to_pylist()[0] for o in (0, 17, 59)]
    dataset.write(tmp_path / "out.sqlite")
    assert list(map(str, weltigen.audit(world, tmp_path / "out.sqlite"))) == []


def test_sums_stay_exact_past_eighteen_digits(tmp_path: Path) -> None:
    (tmp_path / "world.yaml").write_text("""
weltigen: 3
entities:
  vault: {rows: 3, key: [vault_id], fields: {vault_id: {type: integer}, held: {type: "numeric(38,4)", compute: sum(bar.worth)},
          mean: {type: "numeric(38,6)", compute: avg(bar.worth)}, square: {type: "numeric(38,2)", compute: "max(bar.worth) * 2"}}}
  bar:
    rows: {per: vault, each: 40}
    key: [bar_id]
    references: {vault: {to: vault}}
    fields: {bar_id: {type: integer}, worth: {type: "numeric(18,4)", null: false, minimum: 90000000000000, maximum: 99999999999999}}
""")
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    bars, vaults = dataset.frame("bar"), dataset.frame("vault").set_index("vault_id")
    for vault, worth in bars.groupby("vault_id")["worth"]:
        total = sum(worth, Decimal(0))
        assert vaults.loc[vault, "held"] == total > Decimal(10) ** 15
        assert abs(vaults.loc[vault, "mean"] - total / 40) <= Decimal("0.0000005")
        assert vaults.loc[vault, "square"] == (max(worth) * 2).quantize(Decimal("0.01"), ROUND_HALF_UP)


def test_a_sum_that_turns_round_through_a_check_is_watched(tmp_path: Path) -> None:
    world = """
weltigen: 3
entities:
  crate:
    rows: 50
    key: [crate_id]
    checks: ["total + fee <= MOST"]
    fields:
      crate_id: {type: integer}
      fee: {type: integer, null: false, minimum: 1, maximum: 40}
      total: {type: integer, null: false, compute: "coalesce(sum(item.price), 0)"}
  item:
    rows: {per: crate, mean: 2, most: 5}
    key: [item_id]
    references: {crate: {to: crate}}
    fields: {item_id: {type: integer}, price: {type: integer, null: false, compute: crate.fee + 1}}
"""
    (tmp_path / "world.yaml").write_text(world.replace("MOST", "260"))
    dataset = weltigen.open_world(tmp_path / "world.yaml").dataset()
    crate = dataset.frame("crate")
    assert (crate["total"] == dataset.frame("item").groupby("crate_id").size().reindex(crate["crate_id"], fill_value=0).array
            * (crate["fee"] + 1)).all()  # fmt: skip
    (tmp_path / "world.yaml").write_text(world.replace("MOST", "60"))
    with pytest.raises(
        weltigen.WeltigenError, match=r"check \(total \+ fee <= 60\) fails for .* and no field of it can be made again"
    ):
        weltigen.open_world(tmp_path / "world.yaml").dataset().write(tmp_path / "out")
    assert not (tmp_path / "out").exists()
