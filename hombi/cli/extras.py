"""Which part of Hombi is installed, and what a program learns when it is not enough.
Without the terminal's drawing, which would stay in the hub's memory."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

import typer

SAID_NO = 1


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
