"""The help of each command ends with two examples, and they are commands that can be
given."""

from __future__ import annotations

import shlex
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from hombi.cli.app import BY_NAME, load
from hombi.cli.examples import EXAMPLES


def leaves() -> Iterator[tuple[str, Any]]:
    for name, one in BY_NAME.items():
        command = load(one)
        inner = getattr(command, "commands", None)
        if inner is None:
            yield name, command
        for word, leaf in (inner or {}).items():
            yield f"{name} {word}", leaf


COMMANDS = dict(leaves())
GIVEN = [(path, line) for path, lines in EXAMPLES.items() for line in lines]


def test_each_command_has_two_and_there_are_none_for_others() -> None:
    assert {path: len(lines) for path, lines in EXAMPLES.items()} == dict.fromkeys(COMMANDS, 2)


@pytest.mark.parametrize(("path", "line"), GIVEN, ids=[line for _, line in GIVEN])
def test_an_example_is_a_command_that_can_be_given(
    path: str, line: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "profiles").mkdir()
    for file in (
        "too-dry.toml",
        "door.toml",
        "plug.toml",
        "profiles/plug.toml",
        "evening.json",
        "evening.toml",
        "loft.json",
    ):
        (tmp_path / file).touch()
    words = shlex.split(line.partition(" > ")[0])
    words = words[words.index("hombi") + 1 :]
    assert words[: len(path.split())] == path.split()
    command = COMMANDS[path]
    with command.make_context(path, words[len(path.split()) :]) as context:
        assert context.params is not None


def test_the_help_ends_with_them_and_they_are_not_broken(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("COLUMNS", "60")
    from typer.testing import CliRunner

    from hombi.cli.app import app

    told = CliRunner().invoke(app, ["entity", "pick", "--help"]).output
    assert told.endswith("".join(f"  {line}\n" for line in EXAMPLES["entity pick"]))
    assert "What it is; `hombi kinds` lists them" in " ".join(told.split())
    topic = told[told.index("Arguments:") :]
    assert "with {node} where the node's name" in " ".join(topic.split()), (
        "arguments say what they are"
    )
