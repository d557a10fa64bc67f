"""A lighthouse service, invented: a small world with every rule across fields and rows."""

from __future__ import annotations

SQL = """
CREATE TABLE tower (
    tower_id integer PRIMARY KEY, name varchar(40) NOT NULL, lit_on date NOT NULL, oil_rate numeric(5, 2) NOT NULL CHECK (oil_rate BETWEEN 0.25 AND 9),
    watches integer NOT NULL, oil_used numeric(12, 3) NOT NULL CHECK (oil_used >= 0), storm_oil numeric(12, 3), longest_h integer,
    mean_h numeric(8, 4), first_watch timestamp, height_m integer NOT NULL, range_nm numeric(5, 1) NOT NULL,
    kind varchar(6) NOT NULL CHECK (kind IN ('rock', 'shore')), depth_m numeric(5, 1)
);
CREATE UNIQUE INDEX tower_name ON tower (lower(name));
CREATE TABLE keeper (
    keeper_id integer PRIMARY KEY, given_name varchar(40) NOT NULL, family_name varchar(40) NOT NULL, email varchar(80) NOT NULL,
    hired_on date NOT NULL, grade varchar(8) NOT NULL CHECK (grade IN ('novice', 'keeper', 'master')), mentor_id integer REFERENCES keeper,
    pension boolean NOT NULL, badge varchar(4) NOT NULL CHECK (badge ~ '^[A-Za-z][0-9]{3}$'), left_on date
);
CREATE UNIQUE INDEX keeper_email ON keeper (lower(email));
CREATE UNIQUE INDEX keeper_badge ON keeper (upper(badge));
CREATE TABLE lamp (
    tower_id integer NOT NULL REFERENCES tower, number smallint NOT NULL, is_main boolean NOT NULL, glass varchar(8),
    broken_on date, PRIMARY KEY (tower_id, number), UNIQUE NULLS NOT DISTINCT (tower_id, glass)
);
CREATE UNIQUE INDEX lamp_main ON lamp (tower_id) WHERE is_main;
CREATE UNIQUE INDEX lamp_whole ON lamp (tower_id) WHERE broken_on IS NULL AND is_main = false;
CREATE TABLE watch (
    watch_id bigint PRIMARY KEY, tower_id integer NOT NULL REFERENCES tower, keeper_id integer NOT NULL REFERENCES keeper,
    begun_at timestamp NOT NULL, hours integer NOT NULL CHECK (hours BETWEEN 1 AND 12), ended_at timestamp NOT NULL, weather varchar(6) NOT NULL,
    tide_cm integer NOT NULL CHECK (tide_cm BETWEEN 0 AND 400), oil numeric(8, 3) NOT NULL, note varchar(60), logged_at timestamp, CHECK (ended_at > begun_at)
);
CREATE UNIQUE INDEX watch_day ON watch (tower_id, date_trunc('day', begun_at));
CREATE TABLE sighting (
    sighting_id integer PRIMARY KEY, watch_id bigint NOT NULL REFERENCES watch, seen_at timestamp NOT NULL, state varchar(8) NOT NULL,
    far boolean NOT NULL, points integer NOT NULL
);
CREATE TABLE sighting_event (
    sighting_event_id integer PRIMARY KEY, sighting_id integer NOT NULL REFERENCES sighting, from_state varchar(8), state varchar(8) NOT NULL,
    at timestamp NOT NULL, UNIQUE (sighting_id, at)
);
"""

YAML = """
weltigen: 3
model: beacons.sql
window: [2024-01-01, 2025-07-01]
entities:
  tower:
    rows: 30
    fields:
      lit_on: {minimum: 1900-01-01, before: 2024-01-01}
      watches: {compute: count(watch)}
      oil_used: {compute: "coalesce(sum(watch.oil), 0)"}
      storm_oil: {compute: "sum(watch.oil) FILTER (WHERE watch.weather = 'storm')"}
      longest_h: {compute: max(watch.hours)}
      mean_h: {compute: avg(watch.hours)}
      first_watch: {compute: min(watch.begun_at)}
      height_m: {shape: {normal: {mean: 30, sd: 8}}, minimum: 5}
      range_nm: {shape: {skewed: {median: 14, p95: 28}}, follows: {field: height_m, correlation: 0.9}}
      depth_m:
        shape: [{when: "kind = 'rock'", of: {normal: {mean: 40, sd: 3}}}, {when: "kind = 'shore'", of: {normal: {mean: 4, sd: 1}}}]
        present: {when: oil_rate > 1, share: 60%}
  keeper:
    rows: 400
    cohorts:
      veteran:
        share: 25%
        fields: {hired_on: {before: 2010-01-01}, grade: {weights: {master: 3, keeper: 1}}}
        children: {watch: {mean: 9, least: 4, most: 20}}
      leaver: {rows: 40, fields: {left_on: {present: 100%}, pension: {const: false}}}
      green: {share: 30%, fields: {grade: {const: novice}}, references: {mentor: {present: 100%}}}
    references:
      mentor: {tree: {roots: 20%, depth: 4}}
    fields:
      hired_on: {minimum: 1990-01-01}
      pension: {weights: {true: 30, false: 70}}
      left_on: {after: hired_on, present: 5%}
  lamp:
    rows: {per: tower, mean: 4, least: 1, most: 9}
  watch:
    rows: {per: tower, mean: 60, most: 140, none: 10%}
    fields:
      begun_at: {after: keeper.hired_on}
      tide_cm: {follows: {field: hours, correlation: -0.7}}
      ended_at: {compute: "begun_at + hours * interval '1 hour'"}
      weather:
        weights:
          - {when: "tower.kind = 'rock' AND extract(month from begun_at) IN (11, 12, 1, 2)", of: {storm: 60, calm: 40}}
          - of: {storm: 5, calm: 95}
      oil: {compute: "round(hours * tower.oil_rate * case weather when 'storm' then 1.5 else 1 end, 3)"}
      note: {present: {when: "keeper.veteran AND weather = 'storm'", share: 50%}}
      logged_at: {after: ended_at, within: 6 hours}
  sighting:
    rows: {per: watch, mean: 0.4, most: 3}
    states:
      field: state
      history: sighting_event
      start: {seen: 90, heard: 10}
      steps: {seen: {named: 70, lost: 30}, heard: {seen: 60, lost: 40}, named: {filed: 80, named: 20}}
      lasts: {seen: 20 minutes, named: 2 days}
    fields:
      seen_at: {after: watch.begun_at, before: watch.ended_at}
      points: {compute: "(tower_points + watch.hours) * 2"}
"""
YAML = YAML.replace("tower_points", "watch.tower.height_m")
