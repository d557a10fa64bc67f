"""A world of guilds that keep halls, in which every row belongs to one guild; with the other shapes that world files ask for."""

SQL = """
CREATE TABLE guild (guild_id integer PRIMARY KEY, name varchar(40) NOT NULL, speaker_id integer);
CREATE TABLE hall (
    hall_id integer PRIMARY KEY, guild_id integer NOT NULL REFERENCES guild, name varchar(40) NOT NULL, opened_on date,
    state varchar(8) NOT NULL CHECK (state IN ('open', 'shut', 'lost')), UNIQUE (hall_id, state)
);
CREATE TABLE keeper (
    keeper_id integer PRIMARY KEY, guild_id integer NOT NULL REFERENCES guild, mentor_id integer REFERENCES keeper,
    successor_id integer UNIQUE REFERENCES keeper, given_name varchar(30) NOT NULL, CHECK (mentor_id <> keeper_id)
);
ALTER TABLE guild ADD FOREIGN KEY (speaker_id) REFERENCES keeper;
CREATE TABLE duty (
    duty_id integer PRIMARY KEY, hall_id integer NOT NULL REFERENCES hall, keeper_id integer NOT NULL REFERENCES keeper,
    deputy_id integer REFERENCES keeper, day date NOT NULL, CHECK (keeper_id <> deputy_id)
);
CREATE TABLE key_of (
    keeper_id integer NOT NULL REFERENCES keeper, hall_id integer NOT NULL REFERENCES hall, PRIMARY KEY (keeper_id, hall_id)
);
CREATE TABLE gauge (hall_id integer NOT NULL REFERENCES hall, at timestamp NOT NULL, level numeric(5, 2) NOT NULL, PRIMARY KEY (hall_id, at));
CREATE TABLE grade (grade_id integer PRIMARY KEY, title varchar(20) NOT NULL);
CREATE TABLE allowance (
    hall_id integer NOT NULL REFERENCES hall, grade_id integer NOT NULL REFERENCES grade, n integer NOT NULL, PRIMARY KEY (hall_id, grade_id)
);
CREATE TABLE piece (
    piece_id integer PRIMARY KEY, whole_id integer REFERENCES piece, beside_id integer REFERENCES piece,
    hall_id integer NOT NULL REFERENCES hall, grade_id integer NOT NULL REFERENCES grade
);
CREATE TABLE feast (
    feast_id integer PRIMARY KEY, hall_id integer NOT NULL, hall_state varchar(8) NOT NULL CHECK (hall_state = 'open'),
    host_id integer REFERENCES keeper, sponsor_id integer REFERENCES grade,
    FOREIGN KEY (hall_id, hall_state) REFERENCES hall (hall_id, state),
    CHECK ((host_id IS NULL AND sponsor_id IS NOT NULL) OR (host_id IS NOT NULL AND sponsor_id IS NULL))
);
"""
YAML = """
weltigen: 3
model: guild.sql
window: [2025-01-01, 2025-02-01]
same: [guild]
entities:
  guild: {rows: 40}
  hall: {rows: 30, fields: {state: {weights: {open: 0.001, shut: 30, lost: 30}}}}
  keeper: {rows: 100}
  duty:
    rows: 2000
    references:
      hall: {where: "state <> 'lost' AND opened_on IS NOT NULL"}
  key_of: {rows: 45}
  gauge: {rows: {per: hall, every: 6 hours}}
  grade: {fixed: [{grade_id: 1, title: low}, {grade_id: 2, title: high}, {grade_id: 5, title: top}]}
  allowance: {rows: {per: [hall, grade]}}
  piece:
    rows: 300
    references:
      whole: {tree: {roots: 2, depth: 4, most: 9}}
      grade: {weights: {1: 70, 2: 20, 5: 10}}
  feast: {rows: 40, references: {sponsor: {rows: {least: 2, most: 30}}}}
"""
