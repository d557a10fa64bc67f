"""What is measured again and again in a bare model: by the sensor, by what it measures, and over time."""

from __future__ import annotations

import numpy as np
import pandas as pd

import weltigen

SENSORS = """
CREATE TABLE site (id integer PRIMARY KEY, name varchar(60) NOT NULL);
CREATE TABLE sensor (id integer PRIMARY KEY, site_id integer NOT NULL REFERENCES site, kind varchar(20) NOT NULL
  CHECK (kind IN ('temperature', 'humidity', 'co2', 'door')), unit varchar(10) NOT NULL, alarm_low numeric(9,2), alarm_high numeric(9,2));
CREATE TABLE reading (id bigint PRIMARY KEY, sensor_id integer NOT NULL REFERENCES sensor, measured_at timestamptz NOT NULL,
  value numeric(9,2) NOT NULL, quality smallint NOT NULL DEFAULT 0);
"""
ZAEHLER = """
CREATE TABLE zaehler (id integer PRIMARY KEY, art varchar(10) NOT NULL CHECK (art IN ('Strom', 'Gas', 'Wasser')));
CREATE TABLE ablesung (id integer PRIMARY KEY, zaehler_id integer NOT NULL REFERENCES zaehler, abgelesen_am date NOT NULL,
  zaehlerstand numeric(12,2) NOT NULL, einheit varchar(8) NOT NULL);
"""
WEATHER = """
CREATE TABLE station (id integer PRIMARY KEY, name varchar(60) NOT NULL);
CREATE TABLE observation (station_id integer NOT NULL REFERENCES station, observed_at timestamp NOT NULL, air_temp_c numeric(4,1),
  humidity_pct smallint, pressure_hpa numeric(6,1), wind_speed_ms numeric(4,1), wind_gust_ms numeric(4,1), rain_mm numeric(5,1),
  PRIMARY KEY (station_id, observed_at));
"""


def _joined(sql: str, child: str, parent: str, rows: int) -> pd.DataFrame:
    made = weltigen.read_model(sql).dataset(rows={parent: 40, child: rows})
    return made.frame(child).merge(made.frame(parent), left_on=f"{parent}_id", right_on="id", suffixes=("", "_of"))


def test_values_and_limits_are_of_what_the_sensor_measures() -> None:
    rows = _joined(SENSORS, "reading", "sensor", 6000)
    rows[["value", "alarm_low", "alarm_high"]] = rows[["value", "alarm_low", "alarm_high"]].astype(float)
    for kind, unit, least, most in (("temperature", "°C", 9, 31), ("humidity", "%", 20, 100), ("co2", "ppm", 400, 1700)):
        of = rows[rows["kind"] == kind]
        assert set(of["unit"]) == {unit} and of["value"].between(least, most).mean() > 0.99, kind
        limits = of.dropna(subset=["alarm_low", "alarm_high"])
        assert limits["value"].between(limits["alarm_low"], limits["alarm_high"]).mean() > 0.8, kind
        within = of.groupby("sensor_id")["value"].std().mean()
        assert within < of["value"].std() * 1.05 and of.groupby("sensor_id")["value"].mean().nunique() > 3
    assert (rows["quality"] == 0).mean() > 0.9


def test_a_meter_only_rises() -> None:
    rows = _joined(ZAEHLER, "ablesung", "zaehler", 900)
    assert set(rows.groupby("art")["einheit"].agg(set).map(str)) == {"{'kWh'}", "{'m3'}"}
    for _, one in rows.groupby("zaehler_id"):
        assert one.sort_values("abgelesen_am")["zaehlerstand"].astype(float).is_monotonic_increasing
    assert rows[rows["art"] == "Strom"]["zaehlerstand"].astype(float).max() > 4000


def test_the_weather_has_its_seasons() -> None:
    rows = _joined(WEATHER, "observation", "station", 8000)
    told = rows[["air_temp_c", "humidity_pct", "pressure_hpa", "wind_speed_ms", "wind_gust_ms", "rain_mm"]].astype(float)
    assert told.notna().mean().min() > 0.9 and (told["wind_speed_ms"] <= told["wind_gust_ms"]).sum() > 6000
    months = told["air_temp_c"].groupby(rows["observed_at"].dt.month).mean()
    assert months[7] - months[1] > 8 and told["air_temp_c"].dropna().between(-12, 38).all()
    assert told["humidity_pct"].between(0, 100)[told["humidity_pct"].notna()].all() and (told["rain_mm"] < 0.5).mean() > 0.4
    assert np.nanstd(told["pressure_hpa"]) < 14 and told["pressure_hpa"].dropna().between(960, 1050).all()


def test_two_readings_of_a_row_with_one_range_have_courses_of_their_own() -> None:
    sql = """CREATE TABLE meter (id integer PRIMARY KEY, name text NOT NULL);
      CREATE TABLE meter_reading (id integer PRIMARY KEY, meter_id integer NOT NULL REFERENCES meter, read_on date NOT NULL,
        produced_kwh numeric(9,2) NOT NULL, fed_in_kwh numeric(9,2) NOT NULL, used_kwh numeric(9,2) NOT NULL)"""
    rows = weltigen.read_model(sql).dataset(rows={"meter_reading": 2000}).frame("meter_reading")
    told = rows[["produced_kwh", "fed_in_kwh", "used_kwh"]].astype(float)
    sizes = told.groupby(rows["meter_id"]).mean().corr("spearman").to_numpy()
    assert (told.nunique(axis=1) > 1).mean() > 0.99 and np.abs(sizes[np.triu_indices(3, 1)]).max() < 0.5
