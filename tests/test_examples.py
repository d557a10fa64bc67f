"""The examples run and print what they promise; the README's commands and code do too."""

from __future__ import annotations

import re
import shlex
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from .conftest import Done

ROOT = Path(__file__).parents[1]
SAYS = {"first_look.py": "the dearest few: ['", "own_model.py": "0 findings", "in_a_test.py": "passed"}


@pytest.mark.parametrize("path", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
def test_an_example_runs_and_says_what_it_should(path: Path, tmp_path: Path) -> None:
    done = subprocess.run([sys.executable, str(path)], capture_output=True, text=True, cwd=tmp_path)
    assert (done.returncode, done.stderr) == (0, "")
    assert SAYS[path.name] in done.stdout
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("page", ["README.md", "docs/guide.md"])
def test_the_commands_and_the_code_of_a_page_work(
    page: str, tmp_path: Path, run: Callable[..., Done], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Blocks run from top to bottom in one folder, as a reader would type them; plain commands of ours in this process."""
    text = (ROOT / page).read_text("utf-8")
    shutil.copy(ROOT / "src" / "weltigen" / "demo" / "ferry.sql", tmp_path)
    shutil.copy(ROOT / "src" / "weltigen" / "demo" / "ferry.yaml", tmp_path)
    environment = {"PATH": f"{Path(sys.executable).parent}:/usr/bin:/bin", "DATABASE_URL": "sqlite:///dev.sqlite"}
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("DATABASE_URL", environment["DATABASE_URL"])
    blocks = re.findall(r"```(sh|python|yaml)\n(?:# file: (\S+)\n)?(.*?)```", text, re.S)
    assert blocks
    for language, file, block in blocks:
        if file:
            (tmp_path / file).write_text(block)
            continue
        if language == "yaml":
            continue
        for line in [block] if language == "python" else block.splitlines():
            words = shlex.split(line, comments=True) if language == "sh" else []
            if language == "sh" and (not words or words[0] in ("make", "git") or "install" in words):
                continue
            if words[:1] == ["export"]:
                name, _, value = words[1].partition("=")
                environment[name] = value
                monkeypatch.setenv(name, value)
                continue
            if words[:1] == ["weltigen"] and not re.search(r"[|<>$&;]|models:", line):
                done = run(*words[1:])
                assert done.code == 0, f"{line}\n{done.err}"
                continue
            arguments = [sys.executable, "-c", block] if language == "python" else ["sh", "-e", "-c", line]
            ended = subprocess.run(arguments, capture_output=True, text=True, cwd=tmp_path, env=environment)
            assert ended.returncode == 0, f"{line}\n{ended.stderr}"


def test_every_link_of_the_pages_leads_somewhere() -> None:
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+?)(?:#[^)]*)?\)", page.read_text("utf-8")):
            if "://" not in target:
                assert (page.parent / target).exists(), f"{page.name}: {target}"
