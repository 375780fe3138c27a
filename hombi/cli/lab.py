"""`hombi lab`: what a person does with the demo's radio nodes, at the lab beside the
hub."""

from __future__ import annotations

from typing import Annotated, Any
from urllib.parse import quote

import httpx
import typer

from hombi.cli.drawing import as_json, err, out, table
from hombi.cli.exits import SAID_NO
from hombi.cli.noun import noun
from hombi.cli.run import Json
from hombi.cli.where import http_port

app = noun("The demo's radio nodes, in your hand.")
Node = Annotated[str, typer.Argument(help="The node, as `hombi lab nodes` calls it.")]


def _ask(method: str, path: str) -> Any:
    url = f"http://127.0.0.1:{http_port() + 2}{path}"
    try:
        answer = httpx.request(method, url, trust_env=False)
    except httpx.TransportError as error:
        err.print(f"no lab answers at {url}; `hombi demo` starts it", style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO) from error
    if answer.is_error:
        err.print(answer.json().get("detail", answer.text), style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO)
    return answer.json()


@app.command()
def nodes(json: Json = False) -> None:
    """The radio nodes, and how they are."""
    result = _ask("GET", "/radio")
    if json:
        as_json(result)
        return
    rows = [(n["node"], n["title"], n["link"], n["state"], ", ".join(n["taps"])) for n in result]
    table(("NODE", "NAME", "LINK", "STATE", "TO TAP"), rows, "No radio nodes.")


def _do(node: str, what: str) -> None:
    result = _ask("POST", f"/radio/{node}/{what}")
    out.print(f"{result['title']}: {result['state']}")


@app.command()
def press(node: Node) -> None:
    """Hold a node's button: it leaves the network it is in, and looks for one for three
    minutes."""
    _do(node, "press")


@app.command()
def tap(
    node: Node,
    what: Annotated[str, typer.Argument(help="What it has: `hombi lab nodes` lists it.")] = "",
) -> None:
    """Press a button of a remote, or turn a dial."""
    if not what:
        known = {n["node"]: n["taps"] for n in _ask("GET", "/radio")}
        what = next(iter(known.get(node, ())), "tap")
    _do(node, quote(what, safe=""))


@app.command()
def away(node: Node) -> None:
    """Carry a node out of reach."""
    _do(node, "away")


@app.command()
def back(node: Node) -> None:
    """Bring a node back into reach."""
    _do(node, "back")


@app.command()
def drain(node: Node) -> None:
    """Run a node's battery down."""
    _do(node, "drain")


@app.command()
def renew(node: Node) -> None:
    """Give a node a new battery."""
    _do(node, "renew")


@app.command()
def unplug() -> None:
    """Pull the Zigbee stick out."""
    _ask("POST", "/stick/unplug")
    out.print("The stick is out.")


@app.command()
def plug() -> None:
    """Plug the Zigbee stick in again."""
    _ask("POST", "/stick/plug")
    out.print("The stick is in.")
