"""`hombi backup`, `restore`, `salvage`: what to do before, and on, the day something
breaks."""

from __future__ import annotations

import os
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from rich.prompt import Prompt

from hombi.cli.data_place import data_folder
from hombi.cli.drawing import as_json, err, out
from hombi.cli.exits import SAID_NO
from hombi.cli.extras import installed
from hombi.cli.run import Json, hub

if TYPE_CHECKING:
    from hombi.hub.backup.archive import About

Passphrase = Annotated[
    str | None,
    typer.Option(
        help="What it is sealed with; the environment variable keeps it out of sight.",
        envvar="HOMBI_PASSPHRASE",
    ),
]


def backup(
    file: Annotated[
        list[str], typer.Argument(metavar="FILE | check FILE", help="Where to write it.")
    ],
    passphrase: Passphrase = None,
    json: Json = False,
) -> None:
    """Write the whole house to a file while the hub runs; `check FILE` looks whether a
    backup is whole, and says what is in it."""
    if len(file) == 2 and file[0] == "check":
        _check(Path(file[1]), passphrase, json=json)
    elif len(file) == 1:
        _make(Path(file[0]), passphrase or "", json=json)
    else:
        raise typer.BadParameter("give one file, or `check` and a file")


def _make(path: Path, passphrase: str, *, json: bool) -> None:
    part = path.with_name(f".{path.name}.part")
    size = 0
    try:
        with hub() as h:
            pieces = h.backup(passphrase)
            first = next(pieces, b"")  # a refusal leaves no file behind
            part.unlink(missing_ok=True)
            with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as to:
                size = to.write(first)
                for piece in pieces:
                    size += to.write(piece)
                to.flush()
                os.fsync(to.fileno())
        part.rename(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        err.print(f"{path} cannot be written: {error.strerror or error}", style="red")
        raise typer.Exit(SAID_NO) from error
    if json:
        as_json([{"file": str(path), "bytes": size, "sealed": bool(passphrase)}])
        return
    out.print(f"The whole house is in {path}, {size / 1e6:.1f} MB.")
    if not passphrase:
        out.print("It is not sealed: whoever has it has the house with its keys.", style="yellow")


def _check(path: Path, passphrase: str | None, *, json: bool) -> None:
    with installed("hub"):
        from hombi.hub.backup.archive import BackupError, unpack  # noqa: PLC0415

    try:
        about = unpack(path, _asked(path, passphrase))
    except BackupError as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error
    if json:
        as_json([{"file": str(path), "house": about.house, "version": about.version,
                  "made_ms": about.made_ms, "counts": about.counts}])  # fmt: skip
        return
    out.print(f"{path} is whole.")
    _say(about)


def _asked(path: Path, passphrase: str | None) -> str:
    from hombi.hub.backup.archive import is_sealed  # noqa: PLC0415 - it was installed a moment ago

    if passphrase is None and is_sealed(path):
        return str(Prompt.ask("Passphrase", password=True))
    return passphrase or ""


def _say(about: About) -> None:
    made = datetime.fromtimestamp(about.made_ms / 1000)
    one = {"people": "person", "entities": "entity"}
    held = ", ".join(
        f"{count:,} {what if count > 1 else one.get(what, what[:-1])}"
        for what, count in about.counts.items()
        if count
    )
    out.print(f"{about.house}, made {made:%d %B %Y %H:%M} by Hombi {about.version}: {held}.")


def restore(
    file: Annotated[Path | None, typer.Argument(help="The backup.")] = None,
    passphrase: Passphrase = None,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    before_update: Annotated[
        bool,
        typer.Option(
            "--before-update", help="The database as it was before the last update of Hombi."
        ),
    ] = False,
) -> None:
    """Put a backup into the data folder (HOMBI_DATA), on this machine or a new one. The
    hub must be stopped. What was there is moved aside."""
    if (file is None) is not before_update:
        raise typer.BadParameter("name a backup, or say --before-update")
    with installed("hub"):
        from hombi.hub.backup.archive import DATABASE, BackupError, unpack  # noqa: PLC0415
        from hombi.service import restoring  # noqa: PLC0415
        from hombi.service.data_folder import DataError  # noqa: PLC0415

    data = data_folder()
    if file is None:
        _restore_before_update(data, yes=yes)
        return
    try:
        secret = _asked(file, passphrase)
        if not yes:
            _say(unpack(file, secret))
            there = "The house in it is moved aside. " if (data / DATABASE).exists() else ""
            typer.confirm(f"{there}Put this into {data}?", abort=True)
        done = restoring.restore(data, file, secret)
    except (BackupError, DataError) as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error
    if yes:
        _say(done.about)
    out.print(f"It is in {data}. Start it with `hombi serve`.", soft_wrap=True)
    if done.aside is not None:
        out.print(f"What was there before is in {done.aside}.", soft_wrap=True)
    for sentence in restoring.what_is_needed(done.about):
        out.print(f"- {sentence}")


def _restore_before_update(data: Path, *, yes: bool) -> None:
    with installed("hub"):
        from hombi.hub.backup.archive import BackupError  # noqa: PLC0415
        from hombi.service import restoring  # noqa: PLC0415
        from hombi.service.data_folder import DataError  # noqa: PLC0415

    if not yes:
        typer.confirm("What came in since the update is moved aside. Put it back?", abort=True)
    try:
        aside = restoring.restore_before_update(data)
    except (BackupError, DataError) as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error
    out.print("The database is as it was before the update.", soft_wrap=True)
    out.print("Install that version of Hombi, and start it with `hombi serve`.", soft_wrap=True)
    out.print(f"What was there is in {aside}.", soft_wrap=True)


def salvage(
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
) -> None:
    """Take over what can be read of a damaged database. The hub must be stopped; the
    damaged file is moved aside."""
    with installed("hub"):
        from hombi.service import salvage as salvaging  # noqa: PLC0415
        from hombi.service.data_folder import DataError  # noqa: PLC0415

    data = data_folder()
    if not yes:
        typer.confirm(f"A backup is better, where there is one. Salvage {data}?", abort=True)
    try:
        done = salvaging.salvage(data)
    except (salvaging.SalvageError, DataError) as error:
        err.print(str(error), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error
    for table, rows in done.rows.items():
        holes = done.holes[table]
        if rows or holes:
            lost = f", with {holes} holes that cannot be read" if holes else ""
            out.print(f"{table.partition('_')[2]}: {rows:,} taken over{lost}")
    if done.stood_in:
        out.print(
            f"{done.stood_in:,} nodes and values lost their names, and have new ones "
            "(“salvaged”): their readings are there."
        )
    if done.orphans:
        out.print(f"{done.orphans:,} of them belonged to something that is lost, and went.")
    out.print(f"The damaged file is in {done.aside}. Start the hub with `hombi serve`.")
