"""`hombi check`, `doctor`: whether the settings file is right, and how every part of
the hub is."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli.data_place import data_folder
from hombi.cli.drawing import as_json, err, mistakes, out
from hombi.cli.exits import SAID_NO
from hombi.cli.extras import installed
from hombi.cli.run import Json, hub
from hombi.wire.automations import Mistake

_SIGNS = {"ok": ("✓", "green"), "warning": ("!", "yellow"), "fault": ("✗", "red")}


def check(
    file: Annotated[
        Path | None,
        typer.Argument(help="hombi.toml in the data folder unless given; or a node profile."),
    ] = None,
) -> None:
    """Check hombi.toml, with the environment variables, or a node profile: every
    mistake with its line and column. The hub need not run."""
    with installed("hub"):
        from hombi.hub.settings.config import FILE_NAME, ConfigError, check_config  # noqa: PLC0415

    path = file or data_folder() / FILE_NAME
    if file is not None and not path.exists():
        err.print(f"there is no {path}", style="red")
        raise typer.Exit(SAID_NO)
    try:
        sentence = check_config(path) if path.exists() else ""
        if file is None:
            _check_environment()
    except ConfigError as error:
        if not error.mistakes:
            err.print(str(error), style="red")
        result = [
            Mistake(
                line=m.place.line,
                column=m.place.column,
                what=m.what,
                hint=m.hint,
                source_line=m.source_line,
            )
            for m in error.mistakes
        ]
        mistakes(result, str(path))
        raise typer.Exit(SAID_NO) from error
    out.print(
        f"{path} is in order: {sentence}."
        if sentence
        else f"There is no {path}; every setting has its default."
    )


def _check_environment() -> None:
    """Say what is wrong with the environment variables. Raises ConfigError for one that
    cannot be read."""
    from hombi.hub.settings.config import load_config, stray_variables  # noqa: PLC0415

    load_config(data_folder())
    for name, hint in stray_variables().items():
        more = f"; {hint}" if hint else ""
        err.print(f"the environment variable {name} means nothing here{more}", style="yellow")


def doctor(json: Json = False) -> None:
    """Check every part of the hub, and say what to do."""
    with hub() as h:
        checks = h.doctor()
    if json:
        as_json(c.as_dict() for c in checks)
    else:
        for one in checks:
            sign, style = _SIGNS[one.state]
            line = Text(f"{sign} ", style=style)
            line.append(one.part, style="bold")
            line.append(f"  {one.text}")
            out.print(line)
            if one.advice:
                out.print(Text(f"    {one.advice}", style=style))
    if any(c.state == "fault" for c in checks):
        raise typer.Exit(SAID_NO)
