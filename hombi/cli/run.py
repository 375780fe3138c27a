"""Running a command: a client for the hub, and errors as words with an exit code that
means something."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from typing import Annotated

import typer

from hombi.cli.drawing import err, mistakes
from hombi.cli.exits import MISSPELT, NOT_SIGNED_IN, SAID_NO, UNREACHABLE
from hombi.cli.where import find_hub
from hombi.client import Hub, HubProblem, HubUnreachable, Missing, NotSignedIn, Wrong

# What is said of a node that was asked over a way that brings no answer.
NOT_SAID = "it has not said whether it did it"

Json = Annotated[bool, typer.Option("--json", help="Print a list of JSON objects, for programs.")]


def entity_called(h: Hub, word: str) -> str:
    """The address of an entity: what was typed, or the one with this name, like
    "Cellar rack humidity"."""
    if "/" in word:
        return word
    try:
        return h.entities.get(word).entity
    except Missing:
        for node in h.nodes.list():
            if word.casefold() in (node.node, node.title.casefold()) and node.entities:
                values = ", ".join(node.entities)
                what = f"{node.title} is a node; name one of its values: {values}"
                raise typer.BadParameter(what) from None
        raise


@contextlib.contextmanager
def hub() -> Iterator[Hub]:
    """The hub, for one command."""
    with words(), find_hub().hub() as result:
        yield result


@contextlib.contextmanager
def words(name: str = "") -> Iterator[None]:
    """Say what went wrong, and end with the code for it."""
    try:
        yield
    except HubUnreachable as error:
        err.print(str(error), style="red")
        raise typer.Exit(UNREACHABLE) from error
    except NotSignedIn as error:
        detail = error.detail.rstrip(".")
        err.print(f"{detail}. `hombi sign-in` signs this machine in.", style="red")
        raise typer.Exit(NOT_SIGNED_IN) from error
    except HubProblem as error:
        err.print(error.detail, style="red")
        if error.mistakes:
            mistakes(error.mistakes, name or "text")
        misspelt = isinstance(error, Wrong) and not error.mistakes
        raise typer.Exit(MISSPELT if misspelt else SAID_NO) from error
