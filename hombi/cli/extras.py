"""Whether the part of Hombi that a command needs is installed. The hub starts with this
too: drawing on the terminal would stay in its memory, and is loaded only to say no."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

import typer

from hombi.cli.exits import SAID_NO


@contextlib.contextmanager
def installed(extra: str) -> Iterator[None]:
    """Say which part of Hombi is not installed, where only the client and the command
    line are."""
    try:
        yield
    except ModuleNotFoundError as error:
        from hombi.cli.drawing import err  # noqa: PLC0415 - only where it is needed

        err.print(
            f"this needs more of Hombi than is installed here ({error.name}): pip "
            f"install 'hombi[{extra}]'",
            style="red",
        )
        raise typer.Exit(SAID_NO) from error
