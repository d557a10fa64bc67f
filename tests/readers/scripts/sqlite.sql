PRAGMA foreign_keys = ON;
BEGIN TRANSACTION;
CREATE TABLE "keeper" ( -- a comment, with a comma
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, [given name] VARCHAR(40) COLLATE NOCASE NOT NULL, `order` INT DEFAULT (3), 'quoted' TEXT,
    email NATIVE CHARACTER(70) UNIQUE ON CONFLICT IGNORE, untyped, price DOUBLE PRECISION, amount DECIMAL(10,2) NOT NULL DEFAULT -1.5, big UNSIGNED BIG INT,
    active BOOLEAN NOT NULL DEFAULT 1 CHECK (active IN (0, 1)), made DATETIME DEFAULT CURRENT_TIMESTAMP, odd STRING, raw BLOB, num NUMERIC,
    twice INTEGER GENERATED ALWAYS AS ("order" * 2) VIRTUAL, thrice AS (id * 3), boss_id INTEGER REFERENCES keeper(id) ON DELETE SET NULL DEFERRABLE INITIALLY DEFERRED,
    CHECK (length(email) > 3), CONSTRAINT fine CHECK ("order" BETWEEN 0 AND 9)
);
CREATE TABLE IF NOT EXISTS light (
    code TEXT NOT NULL, number INTEGER NOT NULL, keeper_id INTEGER NOT NULL CONSTRAINT of_keeper REFERENCES keeper ON UPDATE CASCADE, state varchar(5) DEFAULT 'on',
    since DATE, until DATE CHECK (until IS NULL OR until >= since), PRIMARY KEY (code, number), UNIQUE (keeper_id, number) ON CONFLICT REPLACE
) WITHOUT ROWID;
CREATE TABLE strict_one (a INTEGER PRIMARY KEY, b TEXT, c ANY, d REAL) STRICT;
CREATE UNIQUE INDEX one_on ON light (state) WHERE state = 'on';
CREATE UNIQUE INDEX folded ON keeper (lower(email), "order" DESC);
CREATE INDEX plain ON light (since);
CREATE VIRTUAL TABLE words USING fts5(body);
CREATE TRIGGER after_light AFTER INSERT ON light BEGIN UPDATE keeper SET "order" = CASE WHEN 1 THEN 2 ELSE 3 END; DELETE FROM light WHERE 0; END;
CREATE VIEW bright AS SELECT * FROM light;
ALTER TABLE strict_one ADD COLUMN e INTEGER NOT NULL DEFAULT 0;
ALTER TABLE strict_one RENAME COLUMN b TO bb;
ALTER TABLE strict_one DROP COLUMN d;
ALTER TABLE strict_one RENAME TO one_strict;
INSERT INTO keeper VALUES (1,'Ines',3,NULL,'ines@mail.example',NULL,1.5,2.25,7,1,'2024-01-01 10:00:00','x',X'00FF',3,NULL);
INSERT INTO light (code, number, keeper_id) SELECT 'a', 1, 1;
COMMIT;
