"""What a person gives a command: a text file, read byte for byte as it stands, and a
moment of house time."""

from __future__ import annotations

from datetime import datetime, tzinfo
from pathlib import Path

import typer

from hombi.cli.drawing import err


def read_text(path: Path) -> str:
    """The file's text. Ends the command with words for one that is not UTF-8."""
    data = path.read_bytes()
    try:
        return data.decode()
    except UnicodeDecodeError as error:
        before = data[: error.start]
        line, column = (
            before.count(b"\n") + 1,
            len(before.rpartition(b"\n")[2].decode(errors="replace")) + 1,
        )
        byte = data[error.start]
        err.print(
            f"{path}:{line}:{column}: the byte {byte:02X} is not UTF-8; save the file as UTF-8",
            style="red",
            soft_wrap=True,
        )
        raise typer.Exit(1) from error


MOMENT_HELP = "like 2026-11-20 or '2026-11-20 14:00'"


def moment_of(text: str, zone: tzinfo, option: str) -> int:
    """A date, or a date and a time of house time, in ms since 1970. Raises
    typer.BadParameter."""
    try:
        moment = datetime.fromisoformat(text.strip())
        return round((moment if moment.tzinfo else moment.replace(tzinfo=zone)).timestamp() * 1000)
    except (ValueError, OverflowError) as error:
        raise typer.BadParameter(
            f"{text!r} is not a date and time; write it {MOMENT_HELP}", param_hint=option
        ) from error
