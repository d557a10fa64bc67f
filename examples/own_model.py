"""A model of one's own, declared in SQL, into an SQLite file that keeps every rule, and the audit that says so."""

import sqlite3
import tempfile
from pathlib import Path

import weltigen

MODEL = """
CREATE TABLE lighthouse (lighthouse_id integer PRIMARY KEY, name varchar(40) NOT NULL UNIQUE,
                         height_m numeric(4, 1) NOT NULL CHECK (height_m BETWEEN 4 AND 60));
CREATE TABLE keeper (keeper_id integer PRIMARY KEY, lighthouse_id integer NOT NULL REFERENCES lighthouse ON DELETE CASCADE,
                     given_name varchar(40) NOT NULL, family_name varchar(40) NOT NULL, email varchar(80) NOT NULL UNIQUE,
                     hired_on date NOT NULL, left_on date, CHECK (left_on > hired_on));
"""

world = weltigen.read_model(MODEL)
with tempfile.TemporaryDirectory() as folder:
    database = Path(folder) / "lights.sqlite"
    receipt = world.dataset(rows={"lighthouse": 30, "keeper": 90}).write(database)
    findings = weltigen.audit(world, database)
    with sqlite3.connect(database) as connection:
        oldest = connection.execute("SELECT given_name, family_name, hired_on FROM keeper ORDER BY hired_on LIMIT 3").fetchall()
    connection.close()
print(f"{receipt.total} rows, digest {receipt.digest[:8]}, {len(findings)} findings")
print("first hired:", oldest)
