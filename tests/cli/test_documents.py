"""What the documents point to is there: pages, sections, commands and options."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import click
import pytest
import typer.main

from hombi.cli.app import app

TOP = Path(__file__).parents[2]
DOCUMENTS = sorted(
    [*TOP.glob("*.md"), *(TOP / "docs").glob("*.md"), *(TOP / "docs" / "decisions").glob("*.md")]
)
LINK = re.compile(r"\]\(([^)\s]+)\)")
# A command in a block of code, or within a line.
IN_BLOCKS = re.compile(r"```(?:sh|console|text)?\n(.*?)```", re.DOTALL)
IN_LINES = re.compile(r"`(hombi [^`]+)`")
# Old names that the changelog tells of.
OLD = {"CHANGELOG.md"}


def sections(path: Path) -> set[str]:
    """The anchors of a document's headings, as forges make them."""
    heads = re.findall(r"^#+ (.*)$", path.read_text(), re.MULTILINE)
    return {re.sub(r"[^\w\- ]", "", head.lower()).strip().replace(" ", "-") for head in heads}


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: str(path.relative_to(TOP)))
def test_every_link_leads_somewhere(path: Path) -> None:
    for link in LINK.findall(path.read_text()):
        if link.startswith(("http:", "https:", "mailto:")):
            continue
        name, _, section = link.partition("#")
        target = (path.parent / name).resolve() if name else path
        assert target.exists(), f"{link} in {path.name}"
        if section:
            assert section in sections(target), f"{link} in {path.name}"


def commands(path: Path) -> list[list[str]]:
    """The words of each command that a document names, comments left out."""
    text = path.read_text()
    found = [" ".join(line.split()) for line in IN_LINES.findall(text)]
    for block in IN_BLOCKS.findall(text):
        line = ""
        for more in block.replace("\\\n", " ").splitlines():
            # A text in quotes goes over several lines.
            line = f"{line} {more.strip()}".strip()
            if line.startswith("hombi ") and not closed(line):
                continue
            found += [line] if line.startswith("hombi ") else []
            line = ""
    return [shlex.split(line.replace("…", ""), comments=True)[1:] for line in found]


def closed(line: str) -> bool:
    """Whether each quote of it is closed."""
    try:
        shlex.split(line, comments=True)
    except ValueError:
        return False
    return True


@pytest.mark.parametrize("path", DOCUMENTS, ids=lambda path: str(path.relative_to(TOP)))
def test_every_command_that_is_named_exists(path: Path) -> None:
    if path.name in OLD:
        return
    root = typer.main.get_command(app)
    for line in commands(path):
        words = line
        command: click.Command = root
        context = click.Context(root)
        while words and isinstance(command, click.Group) and not words[0].startswith("-"):
            inner = command.get_command(context, words[0])
            assert inner is not None, f"{line} in {path.name}: there is no {words[0]}"
            command, words = inner, words[1:]
        options = {name for one in command.params for name in (*one.opts, *one.secondary_opts)}
        for word in words:
            if re.fullmatch(r"--[a-z][a-z-]*", word.partition("=")[0]):
                name = word.partition("=")[0]
                assert name in options | {"--help"}, f"{line} in {path.name}: there is no {name}"
