"""`hombi trust`: have devices, and this machine's command line, trust the house."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Annotated

import segno
import typer

from hombi.cli.drawing import as_json, err, out
from hombi.cli.exits import SAID_NO
from hombi.cli.run import Json, words
from hombi.cli.sign_in import address_of
from hombi.cli.where import authority_file, find_hub, keep_private
from hombi.client import Hub, HubUnreachable, Trust


def trust(
    hub: Annotated[
        str | None,
        typer.Option(help="Another hub: its host or host:port, as for `hombi sign-in`."),
    ] = None,
    save: Annotated[
        Path | None, typer.Option(help="Write the house's certificate (PEM) to this file.")
    ] = None,
    take: Annotated[
        bool, typer.Option("--take", help="Have this machine's command line trust the house.")
    ] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Show how devices trust the house: the page that leads a phone, tablet or computer
    through it, and the certificate's fingerprint to compare."""
    with words(), Hub(address_of(hub)) if hub else find_hub().hub() as h:
        result = h.trust()
    if save is not None or take:
        if not result.certificate:
            err.print(_without(result), style="red")
            raise typer.Exit(SAID_NO)
        if save is not None:
            save.write_text(result.certificate)
    if json:
        as_json([result.as_dict()])
    else:
        _show(result, save)
    if take:
        _take(result, yes=yes)


def _show(found: Trust, save: Path | None) -> None:
    if save is not None:
        out.print(f"The certificate of {found.house} is in {save}.")
        return
    if not found.certificate:
        out.print(_without(found))
        return
    segno.make(found.page, error="m").terminal(compact=True, border=2)
    out.print(f"Open {found.page} on the device that is to trust {found.house}.", soft_wrap=True)
    out.print("There, compare the fingerprint (SHA-256) of the certificate:")
    out.print(f"  {found.fingerprint}", soft_wrap=True)
    out.print(f"Devices list it as “{found.name}”{_until(found)}.")
    if found.problem:
        out.print(f"HTTPS is not open now: {found.problem}", style="yellow")
    else:
        out.print(f"The console over HTTPS: {found.secure}", soft_wrap=True)
        out.print(_here(found))


def _without(found: Trust) -> str:
    if found.own:
        return f"{found.secure} shows a certificate of your own; devices need nothing more."
    return "This hub has no certificate now. `hombi doctor` says why."


def _until(found: Trust) -> str:
    if found.until is None:
        return ""
    return f", good until {datetime.fromtimestamp(found.until / 1000).astimezone():%d %B %Y}"


def _here(found: Trust) -> str:
    """Whether this machine trusts it: by asking over HTTPS."""
    kept = authority_file()
    try:
        with Hub(found.secure, authority=kept if kept.exists() else None) as hub:
            hub.claimed()
    except HubUnreachable:
        return "This machine's command line does not trust it yet: `hombi trust --take`."
    return "This machine's command line trusts it."


def _take(found: Trust, *, yes: bool) -> None:
    out.print(f"The certificate of {found.house} has this fingerprint (SHA-256):")
    out.print(f"  {found.fingerprint}", soft_wrap=True)
    if not yes:
        typer.confirm("Is it the one that `hombi trust` shows on the hub's machine?", abort=True)
    path = keep_private(authority_file(), found.certificate)
    out.print(f"Kept in {path}. Sign in with `hombi sign-in --hub {found.secure}`.")
