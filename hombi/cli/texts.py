"""Reading a person's text file byte for byte: line ends and odd characters reach the hub as they stand in the file."""

from __future__ import annotations

from pathlib import Path

import typer

from hombi.cli.drawing import err


def read_text(path: Path) -> str:
    """The file's text. Ends the command with words for one that is no UTF-8."""
    data = path.read_bytes()
    try:
        return data.decode()
    except UnicodeDecodeError as error:
        before = data[: error.start]
        line, column = before.count(b"\n") + 1, len(before.rpartition(b"\n")[2].decode(errors="replace")) + 1
        byte = data[error.start]
        err.print(f"{path}:{line}:{column}: the byte {byte:02X} is no UTF-8; save the file as UTF-8", style="red", soft_wrap=True)
        raise typer.Exit(1) from error
