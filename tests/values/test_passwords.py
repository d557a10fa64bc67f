"""Passwords: one known text, kept in forms that the libraries of applications accept, and told to whoever logs in."""

from __future__ import annotations

import hashlib
import json
from base64 import b64decode
from collections.abc import Callable
from pathlib import Path

import argon2
import bcrypt
import pytest
from django.conf import settings
from django.contrib.auth.hashers import check_password
from werkzeug.security import check_password_hash

import weltigen

from ..conftest import Done

HASHERS = ("PBKDF2", "Argon2", "BCrypt", "Scrypt")
settings.configure(PASSWORD_HASHERS=[f"django.contrib.auth.hashers.{name}PasswordHasher" for name in HASHERS])


def aspnet(plain: str, stored: str) -> bool:
    octets = b64decode(stored)
    rounds = int.from_bytes(octets[5:9], "big")
    return octets[0] == 1 and hashlib.pbkdf2_hmac("sha512", plain.encode(), octets[13:29], rounds, 32) == octets[29:]


def phc(plain: str, stored: str) -> bool:
    _, name, rounds, salt, digest = stored.split("$")
    octets = (b64decode(f"{part.replace('.', '+')}==") for part in (salt, digest))
    return name == "pbkdf2-sha256" and hashlib.pbkdf2_hmac("sha256", plain.encode(), next(octets), int(rounds)) == next(octets)


def django(plain: str, stored: str) -> bool:
    return check_password(plain, stored)


# by what is said of a field, and the room it needs: who accepts it
JUDGES: dict[tuple[str, int], Callable[[str, str], bool]] = {
    ("hash: bcrypt, cost: '5'", 60): lambda plain, stored: bcrypt.checkpw(plain.encode(), stored.encode()),
    ("hash: bcrypt, form: django, cost: '4'", 67): django,
    ("hash: argon2", 97): lambda plain, stored: argon2.PasswordHasher().verify(stored, plain),
    ("hash: argon2, form: django", 103): django,
    ("hash: pbkdf2, cost: '900'", 85): django,
    ("hash: pbkdf2, form: werkzeug, cost: '900'", 99): lambda plain, stored: check_password_hash(stored, plain),
    ("hash: pbkdf2, form: phc, cost: '900'", 85): phc,
    ("hash: pbkdf2, form: aspnet, cost: '900'", 84): aspnet,
    ("hash: scrypt, cost: '10'", 161): lambda plain, stored: check_password_hash(stored, plain),
    ("hash: scrypt, form: django, cost: '10'", 127): django,
    ("hash: md5", 32): lambda plain, stored: hashlib.md5(plain.encode()).hexdigest() == stored,
    ("hash: sha512", 128): lambda plain, stored: hashlib.sha512(plain.encode()).hexdigest() == stored,
    ("hash: none", 14): lambda plain, stored: plain == stored,
}


@pytest.mark.parametrize(("said", "room"), JUDGES, ids=[said for said, _ in JUDGES])
@pytest.mark.parametrize("plain", ["salt-and-oakum", "Ähre ☂ 12"])
def test_a_password_is_kept_as_libraries_read_it(said: str, room: int, plain: str, tmp_path: Path) -> None:
    """Of generated rows and of a fixed one that gives it in clear; in the room that it needs, and in no less."""
    opened = {}
    for width in (max(room, 14), room - 1):
        (tmp_path / f"{width}.yaml").write_text(f"""
weltigen: 3
password: {plain}
entities:
  steward:
    rows: 60
    fixed: [{{pass: deck-hand-7}}]
    fields: {{pass: {{type: varchar({width}), kind: {{password: {{{said}}}}}, null: false}}}}
""")
        opened[width] = weltigen.open_world(tmp_path / f"{width}.yaml")
    dataset = opened[max(room, 14)].dataset()
    given, *made = dataset.table("steward")["pass"].to_pylist()
    assert all(JUDGES[said, room](plain, one) for one in set(made)) and JUDGES[said, room]("deck-hand-7", given)
    assert dataset.passwords == {"steward.pass": plain}
    unsalted = any(name in said for name in ("none", "md5", "sha512"))
    assert len(set(made)) == 1 if unsalted else 3 < len(set(made)) <= 12
    if "none" not in said:
        assert len(made[0]) == room and f"takes {room} characters" in str(opened[room - 1].plan().problems[0])


def test_whoever_fills_a_bare_model_is_told_what_to_log_in_with(tmp_path: Path, run: Callable[..., Done]) -> None:
    """Each application's form is told by its columns; a digest by its room. The same seed gives the same bytes."""
    (model := tmp_path / "model.sql").write_text("""
CREATE TABLE steward (id int PRIMARY KEY, email varchar(80) NOT NULL, password_hash text NOT NULL);
CREATE TABLE auth_user (id int PRIMARY KEY, password varchar(128) NOT NULL, last_login timestamp, is_superuser boolean NOT NULL);
CREATE TABLE member (id int PRIMARY KEY, login varchar(30) NOT NULL, password char(40) NOT NULL);
CREATE TABLE guest (id int PRIMARY KEY, name text, PasswordHash varchar(200), SecurityStamp varchar(60));
""")
    done = run("fill", model, "--into", tmp_path / "out.sqlite", "--rows", "guest=30")
    receipt = json.loads((tmp_path / "out.sqlite.receipt.json").read_text())
    run_again = weltigen.open_run(tmp_path / "out.sqlite")
    (plain,) = set(receipt["passwords"].values())
    assert f"{plain} is the password in " in done.out and done.code == 0
    assert run_again.passwords == receipt["passwords"] and plain not in done.out.replace(f"{plain} is the password", "")
    kept = {path: run_again.table(path.split(".")[0])[path.split(".")[1]].drop_null()[0].as_py() for path in receipt["passwords"]}
    forms = {"steward": bcrypt_accepts, "auth_user": django, "member": sha1, "guest": aspnet}
    assert all(forms[path.split(".")[0]](plain, stored) for path, stored in kept.items()) and len(kept) == len(forms)
    assert weltigen.audit(run_again.plan.world, tmp_path / "out.sqlite").findings == ()
    shown = run("peek", tmp_path / "out.sqlite", "steward")
    assert "•••" in shown.out and kept["steward.password_hash"] not in shown.out
    other = weltigen.read_model(model).dataset(seed=7)
    assert other.passwords["member.password"] != plain


def bcrypt_accepts(plain: str, stored: str) -> bool:
    return bcrypt.checkpw(plain.encode(), stored.encode())


def sha1(plain: str, stored: str) -> bool:
    return hashlib.sha1(plain.encode()).hexdigest() == stored


@pytest.mark.parametrize(
    ("said", "told"),
    [
        ("hash: bcrpt", "no hash is called 'bcrpt': there are bcrypt, argon2"),
        ("hash: argon2, form: werkzeug", "argon2 has no form 'werkzeug': there is phc, django"),
        ("cost: '40'", "the cost of bcrypt is a whole number from 4 to 31, not '40'"),
        (f"plain: {'x' * 73}", "bcrypt takes 72 bytes"),
    ],
)
def test_a_password_that_cannot_be_kept_is_told_of(said: str, told: str, tmp_path: Path) -> None:
    (file := tmp_path / "world.yaml").write_text(
        f"weltigen: 3\nentities: {{steward: {{fields: {{pass: {{type: text, kind: {{password: {{{said}}}}}}}}}}}}}"
    )
    with pytest.raises(weltigen.WeltigenError, match=told):
        weltigen.open_world(file).dataset()
