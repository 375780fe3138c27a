"""Every command that a document names is there."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

from hombi.cli.app import BY_NAME, load
from tests.house import PASSWORD, Joined, Service, until

TOP = Path(__file__).parents[2]
DOCUMENTS = [TOP / "README.md", *sorted((TOP / "docs").glob("*.md"))]
CODE = re.compile(r"```[a-z]*\n(.*?)```|`([^`]+)`", re.DOTALL)
COMMAND = re.compile(
    r"(?:^|[\s/])hombi ([a-z][a-z-]*)(?: ([a-z][a-z-]*)(?=[\s.]|$))?", re.MULTILINE
)


def named(path: Path) -> list[tuple[str, str]]:
    pieces = (one[0] or one[1].replace("\n", " ") for one in CODE.findall(path.read_text()))
    return [found for piece in pieces for found in COMMAND.findall(piece)]


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: path.name)
def test_the_commands_in_a_document_are_there(path: Path) -> None:
    wrong = []
    for first, second in named(path):
        command = load(BY_NAME[first]) if first in BY_NAME else None
        inner = getattr(command, "commands", None)
        if command is None or (inner is not None and second and second not in inner):
            wrong.append(f"hombi {first} {second}".strip())
    assert wrong == []


def test_there_are_commands_to_look_for() -> None:
    assert len([one for path in DOCUMENTS for one in named(path)]) > 60


def test_the_program_in_the_readme_runs(service: Service, rack: Joined) -> None:
    rack.post([{"n": "humidity", "v": 81.5}])
    program = re.search(r"```python\n(.*?)```", (TOP / "README.md").read_text(), re.DOTALL)
    assert program is not None
    text = program[1].replace("http://127.0.0.1:21460", service.url).replace('"…"', repr(PASSWORD))
    # It goes on for ever; the first event is enough.
    text += "        break\n"
    done = subprocess.Popen([sys.executable, "-c", text], stdout=subprocess.PIPE, text=True)
    assert done.stdout is not None
    with done, done.stdout:
        assert done.stdout.readline() == "81.5 %\n"
        until(lambda: rack.post([{"n": "humidity", "v": 82.5}]) and done.poll() is not None)
        assert done.returncode == 0
        assert done.stdout.read().split()
