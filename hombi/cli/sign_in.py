"""`hombi sign-in`: use a hub on another machine. `hombi token first-code`: make this
machine's hub one's own."""

from __future__ import annotations

import platform
from typing import Annotated

import typer
from rich.prompt import Prompt

from hombi.cli.discover import hubs_nearby
from hombi.cli.drawing import out
from hombi.cli.run import words
from hombi.cli.where import DEFAULT_PORT, Where, authority_for, find_hub, keep_sign_in
from hombi.client import Hub, NotSignedIn

SEARCH_S = 1.5


def _nearest() -> str:
    """The hub of this machine, else one that announces itself in this network."""
    here = find_hub()
    if here.token is not None:
        return here.url
    result = hubs_nearby(SEARCH_S)
    if not result:
        return here.url
    if len(result) == 1:
        return result[0]
    for number, address in enumerate(result, 1):
        out.print(f"{number}  {address}")
    numbers = [str(number) for number in range(1, len(result) + 1)]
    return result[int(Prompt.ask("Which hub", choices=numbers)) - 1]


def address_of(text: str) -> str:
    """A hub's address as a person types it: a host, a host and port, or all of it."""
    text = text.strip().rstrip("/")
    if "://" in text:
        return text
    if text.count(":") > 1 and not text.startswith("["):
        text = f"[{text}]"  # an address of IPv6 alone
    has_port = text.rpartition("]")[2].count(":") == 1
    return f"http://{text}" if has_port else f"http://{text}:{DEFAULT_PORT}"


def sign_in(
    hub: Annotated[
        str | None,
        typer.Option(
            help="The hub's host, host:port or address, like 192.0.2.7 or http://mill.local:21460."
        ),
    ] = None,
    username: Annotated[
        str | None, typer.Option(help="Your name there; prompted for if not given.")
    ] = None,
    password: Annotated[
        str | None, typer.Option(help="Prompted for if not given.", envvar="HOMBI_PASSWORD")
    ] = None,
    limit: Annotated[
        str, typer.Option(help="What this machine may do at most: read, switch or change.")
    ] = "change",
    days: Annotated[int, typer.Option(help="Signed in for so many days; 0 for always.")] = 0,
) -> None:
    """Sign this machine in to a hub. On the hub's own machine there is no need to."""
    url = address_of(hub) if hub else _nearest()
    with words(), Hub(url, authority=authority_for(url)) as h:
        name = username or Prompt.ask("Name")
        secret = password or Prompt.ask("Password", password=True)
        program = f"command line on {platform.node() or 'a machine'}"
        try:
            token = h.sign_in(name, secret, program, limit, days)
        except NotSignedIn as error:
            if "second factor" not in error.detail:
                raise
            code = Prompt.ask("Code of your second factor")
            token = h.sign_in(name, secret, program, limit, days, code)
        path = keep_sign_in(Where(h.url, token.token))
        out.print(f"Signed in to {h.url} as {token.username}. The token is in {path}.")
