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
from hombi.client import Hub, HubUnreachable
from hombi.wire.trust import Trust


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


def _show(trust: Trust, save: Path | None) -> None:
    if save is not None:
        out.print(f"The certificate of {trust.house} is in {save}.")
        return
    if not trust.certificate:
        out.print(_without(trust))
        return
    segno.make(trust.page, error="m").terminal(compact=True, border=2)
    out.print(f"Open {trust.page} on the device that is to trust {trust.house}.", soft_wrap=True)
    out.print("There, compare the fingerprint (SHA-256) of the certificate:")
    out.print(f"  {trust.fingerprint}", soft_wrap=True)
    out.print(f"Devices list it as “{trust.name}”{_until(trust)}.")
    if trust.problem:
        out.print(f"HTTPS is not open now: {trust.problem}", style="yellow")
    else:
        out.print(f"The console over HTTPS: {trust.secure}", soft_wrap=True)
        out.print(_here(trust))


def _without(trust: Trust) -> str:
    if trust.own:
        return f"{trust.secure} shows a certificate of your own; devices need nothing more."
    return "This hub has no certificate now. `hombi doctor` says why."


def _until(trust: Trust) -> str:
    if trust.until is None:
        return ""
    return f", good until {datetime.fromtimestamp(trust.until / 1000).astimezone():%d %B %Y}"


def _here(trust: Trust) -> str:
    """Whether this machine trusts it: by asking over HTTPS."""
    kept = authority_file()
    try:
        with Hub(trust.secure, authority=kept if kept.exists() else None) as hub:
            hub.owned()
    except HubUnreachable:
        return "This machine's command line does not trust it yet: `hombi trust --take`."
    return "This machine's command line trusts it."


def _take(trust: Trust, *, yes: bool) -> None:
    out.print(f"The certificate of {trust.house} has this fingerprint (SHA-256):")
    out.print(f"  {trust.fingerprint}", soft_wrap=True)
    if not yes:
        typer.confirm("Is it the one that `hombi trust` shows on the hub's machine?", abort=True)
    path = keep_private(authority_file(), trust.certificate)
    out.print(f"Kept in {path}. Sign in with `hombi sign-in --hub {trust.secure}`.")
