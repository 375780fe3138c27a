"""`hombi sign-in`: use a hub on another machine. `hombi token claim-code`: make this
machine's hub one's own."""

from __future__ import annotations

import platform
from typing import Annotated

import typer
from rich.prompt import Prompt

from hombi.cli.discover import hubs_nearby
from hombi.cli.drawing import out
from hombi.cli.run import words
from hombi.cli.where import Where, find_hub, keep_sign_in
from hombi.client import Hub

SEARCH_S = 1.5


def _nearest() -> str:
    """The hub of this machine, else one that announces itself in this network."""
    here = find_hub()
    if here.token is not None:
        return here.url
    found = hubs_nearby(SEARCH_S)
    if not found:
        return here.url
    if len(found) == 1:
        return found[0]
    return Prompt.ask("Which hub", choices=found)


def sign_in(
    hub: Annotated[
        str | None, typer.Option(help="The hub's address, like http://192.0.2.7:4662.")
    ] = None,
    username: Annotated[
        str | None, typer.Option(help="Your name there; asked for when it is not given.")
    ] = None,
    password: Annotated[
        str | None, typer.Option(help="Asked for when it is not given.", envvar="HOMBI_PASSWORD")
    ] = None,
) -> None:
    """Sign this machine in to a hub. On the hub's own machine there is no need to."""
    url = hub or _nearest()
    with words(), Hub(url) as h:
        name = username or Prompt.ask("Name")
        token = h.sign_in(
            name,
            password or Prompt.ask("Password", password=True),
            f"command line on {platform.node() or 'a machine'}",
        )
        path = keep_sign_in(Where(h.url, token.token))
        out.print(f"Signed in to {h.url} as {token.username}. The token is in {path}.")
