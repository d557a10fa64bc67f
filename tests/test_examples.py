"""The examples run and print what they promise; the README's commands and code do too."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
SAYS = {"first_look.py": "the dearest few: ['", "own_model.py": "0 findings", "in_a_test.py": "passed"}


@pytest.mark.parametrize("path", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
def test_an_example_runs_and_says_what_it_should(path: Path, tmp_path: Path) -> None:
    done = subprocess.run([sys.executable, str(path)], capture_output=True, text=True, cwd=tmp_path)
    assert (done.returncode, done.stderr) == (0, "")
    assert SAYS[path.name] in done.stdout
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("page", ["README.md", "docs/guide.md"])
def test_the_commands_and_the_code_of_a_page_work(page: str, tmp_path: Path) -> None:
    """Blocks run from top to bottom in one folder, as a reader would type them."""
    text = (ROOT / page).read_text("utf-8")
    shutil.copy(ROOT / "src" / "weltigen" / "demo" / "ferry.sql", tmp_path)
    shutil.copy(ROOT / "src" / "weltigen" / "demo" / "ferry.yaml", tmp_path)
    environment = {"PATH": f"{Path(sys.executable).parent}:/usr/bin:/bin", "DATABASE_URL": "sqlite:///dev.sqlite"}
    blocks = re.findall(r"```(sh|python|yaml)\n(?:# file: (\S+)\n)?(.*?)```", text, re.S)
    assert blocks
    for language, file, block in blocks:
        if file:
            (tmp_path / file).write_text(block)
            continue
        if language == "yaml":
            continue
        commands = [
            line for line in block.splitlines() if line and "pip install" not in line and not line.startswith(("make", "git"))
        ]
        arguments = [sys.executable, "-c", block] if language == "python" else ["sh", "-e", "-c", "\n".join(commands)]
        done = subprocess.run(arguments, capture_output=True, text=True, cwd=tmp_path, env=environment)
        assert done.returncode == 0, f"{block}\n{done.stderr}"


def test_every_link_of_the_pages_leads_somewhere() -> None:
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+?)(?:#[^)]*)?\)", page.read_text("utf-8")):
            if "://" not in target:
                assert (page.parent / target).exists(), f"{page.name}: {target}"
