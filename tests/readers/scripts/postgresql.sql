-- A lighthouse board's schema after years of changes: /* not a comment that opens */ ';' and "quotes" mean nothing here
\set ON_ERROR_STOP on
SET client_encoding = 'UTF8'; SET check_function_bodies = false;
/* a block /* within a block; */ with a ; in it */
CREATE SCHEMA yard;
CREATE TYPE public.light_colour AS ENUM ('white', 'red', 'it''s green');
CREATE TYPE watch AS ENUM ('first', 'middle');
ALTER TYPE watch ADD VALUE 'morning' BEFORE 'middle';
ALTER TYPE watch ADD VALUE IF NOT EXISTS 'dog';
ALTER TYPE watch RENAME VALUE 'middle' TO 'mid';
CREATE TYPE dims AS (width numeric, height numeric);
CREATE DOMAIN metres AS numeric(6,2) CONSTRAINT metres_positive CHECK (VALUE > 0) CHECK (VALUE < 900);
CREATE DOMAIN short_code AS character varying(8) NOT NULL DEFAULT 'none' CHECK (VALUE ~ '^[a-z]+$'::text);
CREATE SEQUENCE lamp_seq;
CREATE TABLE IF NOT EXISTS keeper (
    keeper_id bigint GENERATED ALWAYS AS IDENTITY (START WITH 10) PRIMARY KEY,
    "GivenName" character varying(40) NOT NULL, "order" int CHECK ("order" >= 0), "User" text, -- reserved and mixed-case
    email text COLLATE "C" NOT NULL, born date CHECK (born < CURRENT_DATE),
    boss_id bigint CONSTRAINT keeper_boss REFERENCES keeper ON DELETE SET NULL ON UPDATE CASCADE DEFERRABLE INITIALLY DEFERRED,
    shift watch DEFAULT 'first'::watch, tags text[] DEFAULT '{}'::text[] NOT NULL, grid integer[][], note text DEFAULT 'a, b) c',
    created_at timestamp(3) with time zone DEFAULT (now() AT TIME ZONE 'utc') NOT NULL,
    CONSTRAINT keeper_email UNIQUE (email) INCLUDE (born), CHECK (char_length(btrim("GivenName")) > 1)
);
COMMENT ON TABLE keeper IS 'who keeps the light; and "why"';
COMMENT ON COLUMN public.keeper.email IS E'their\tmail';
CREATE TABLE lighthouse (
    code short_code, number smallint, colour public.light_colour NOT NULL DEFAULT 'white', height metres NOT NULL,
    lit boolean DEFAULT true, flash interval day to second, position_ point, ip inet, net cidr, mac macaddr, raw bytea, flags bit(4), vflags bit varying(6),
    price money DEFAULT 0, doc jsonb DEFAULT '{}'::jsonb NOT NULL, body tsvector, span tstzrange, opens time without time zone, x double precision,
    y real, z float(10), guid uuid DEFAULT gen_random_uuid(), area numeric GENERATED ALWAYS AS (height * 2) STORED, old_name char, xml_ xml,
    box_ box, total decimal(12,4), ratio numeric, nm name, o oid, "char" "char", PRIMARY KEY (code, number),
    CONSTRAINT sane CHECK (x > y AND (colour <> 'red' OR lit IS NOT NULL)),
    EXCLUDE USING gist (span WITH &&)
);
CREATE TABLE ONLY_here (id serial PRIMARY KEY);
CREATE TABLE yard.lamp (
    lamp_id integer DEFAULT nextval('lamp_seq'::regclass) NOT NULL,
    lighthouse_code varchar(8), lighthouse_number smallint, keeper bigint NOT NULL, watts integer DEFAULT 60, burnt_out_at timestamptz, burnt_why text,
    CONSTRAINT lamp_pk PRIMARY KEY (lamp_id),
    CONSTRAINT lamp_of FOREIGN KEY (lighthouse_code, lighthouse_number) REFERENCES lighthouse (code, number) MATCH FULL ON DELETE CASCADE,
    CONSTRAINT burnt CHECK ((burnt_out_at IS NULL) = (burnt_why IS NULL))
);
ALTER TABLE ONLY yard.lamp ADD CONSTRAINT lamp_keeper_fkey FOREIGN KEY (keeper) REFERENCES keeper(keeper_id) NOT VALID;
ALTER TABLE yard.lamp ADD COLUMN maker text NOT NULL DEFAULT 'unknown', ADD serial_no varchar(20), ADD CHECK (watts BETWEEN 5 AND 2000), ADD UNIQUE (serial_no),
    ALTER COLUMN watts SET NOT NULL, ALTER watts TYPE smallint USING watts::smallint, ALTER COLUMN watts DROP DEFAULT;
ALTER TABLE yard.lamp RENAME COLUMN maker TO made_by;
ALTER TABLE yard.lamp RENAME CONSTRAINT burnt TO burnt_out;
ALTER TABLE yard.lamp ADD COLUMN scratch int UNIQUE REFERENCES keeper, ADD COLUMN scratch2 int CHECK (scratch2 > watts);
ALTER TABLE yard.lamp DROP COLUMN scratch, DROP COLUMN IF EXISTS nothing, DROP COLUMN scratch2 CASCADE;
ALTER TABLE yard.lamp OWNER TO CURRENT_USER;
ALTER TABLE keeper ALTER COLUMN "order" SET DEFAULT 3, ALTER COLUMN note DROP NOT NULL, ALTER COLUMN "User" SET STORAGE EXTERNAL;
ALTER TABLE IF EXISTS nowhere ADD COLUMN x int;
ALTER TABLE keeper RENAME TO keeper_of_light;
ALTER TABLE keeper_of_light RENAME "User" TO login;
CREATE UNIQUE INDEX keeper_login ON keeper_of_light USING btree (lower(login)) WHERE (login IS NOT NULL);
CREATE UNIQUE INDEX CONCURRENTLY IF NOT EXISTS one_lit ON lighthouse (colour, number DESC NULLS LAST);
CREATE INDEX plain ON lighthouse (height);
DROP INDEX IF EXISTS plain;
CREATE UNIQUE INDEX gone ON lighthouse (height); DROP INDEX gone;
CREATE TABLE temporary_thing (id int); DROP TABLE IF EXISTS temporary_thing, missing CASCADE;
CREATE TEMP TABLE scratch (id int);
CREATE TABLE copied (LIKE lighthouse INCLUDING ALL EXCLUDING INDEXES, extra text, more int);
CREATE TABLE base_event (at timestamp NOT NULL, what varchar(20) CHECK (what <> ''));
CREATE TABLE storm (force smallint CHECK (force IN (8, 9, 10)), PRIMARY KEY (at)) INHERITS (base_event);
CREATE TABLE reading (lighthouse text NOT NULL, taken_on date NOT NULL, level numeric(4,1)) PARTITION BY RANGE (taken_on);
CREATE TABLE reading_2024 PARTITION OF reading FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
CREATE TABLE reading_2025 (lighthouse text NOT NULL, taken_on date NOT NULL, level numeric(4,1));
ALTER TABLE ONLY reading ATTACH PARTITION reading_2025 FOR VALUES FROM ('2025-01-01') TO ('2026-01-01');
CREATE VIEW bright AS SELECT code FROM lighthouse WHERE lit; CREATE OR REPLACE FUNCTION draught_ok(d integer) RETURNS boolean LANGUAGE sql AS $$ SELECT d > 3; $$;
CREATE FUNCTION touch() RETURNS trigger AS $body$ BEGIN NEW.created_at := now(); RETURN NEW; END; $body$ LANGUAGE plpgsql;
CREATE TRIGGER touched BEFORE UPDATE ON keeper_of_light FOR EACH ROW EXECUTE FUNCTION touch();
DO $do$ BEGIN
    IF NOT EXISTS (SELECT 1 FROM pg_type WHERE typname = 'grade') THEN CREATE TYPE grade AS ENUM ('a', 'b'); END IF;
    ALTER TABLE lighthouse ADD COLUMN grade grade;
    EXECUTE 'ALTER TABLE lighthouse ADD COLUMN by_execute varchar(5) NOT NULL DEFAULT ''x''';
EXCEPTION WHEN duplicate_column THEN NULL; END $do$;
GRANT SELECT ON lighthouse TO PUBLIC;
INSERT INTO keeper_of_light ("GivenName", email, born) OVERRIDING SYSTEM VALUE VALUES ('Ines', 'ines@mail.example', DATE '1980-02-03'), ('O''Marl', 'marl@mail.example', NULL);
COPY lighthouse (code, number, colour, height, raw, guid, old_name) FROM stdin;
aba	1	white	12.50	\N	7b1c6f0e-43a2-4c55-9a53-2d51f3d8a001	x
skr	2	it's green	3.00	\N	7b1c6f0e-43a2-4c55-9a53-2d51f3d8a002	\N
\.
INSERT INTO only_here DEFAULT VALUES;
SELECT setval('lamp_seq', 40);
CREATE TABLE late (a integer NOT NULL, b text, c bit varying, n numeric(5));
CREATE UNIQUE INDEX late_a ON late (a); CREATE UNIQUE INDEX ON late (lower(b) text_pattern_ops DESC NULLS LAST) INCLUDE (a);
ALTER TABLE late ADD CONSTRAINT late_pk PRIMARY KEY USING INDEX late_a, ALTER COLUMN n TYPE bigint USING n::bigint;
ALTER TABLE late SET SCHEMA yard;
COMMENT ON COLUMN yard.late.b IS 'said later';
