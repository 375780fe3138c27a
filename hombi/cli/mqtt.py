"""`hombi mqtt`: MQTT accounts for boards and programs of a person's own."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import ago, as_json, bold, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub
from hombi.wire.people import NewMqttAccount

app = noun("MQTT accounts for boards and programs of a person's own, each with topics of its own.")
Publish = Annotated[
    list[str] | None,
    typer.Option("--publish", help="A topic filter it may publish under, like mill/#; repeat it."),
]
Subscribe = Annotated[
    list[str] | None,
    typer.Option("--subscribe", help="A topic filter it may subscribe to; repeat it."),
]
Name = Annotated[str, typer.Argument(help="The account's name; it signs in with it.")]


@app.command("list")
def list_(json: Json = False) -> None:
    """The MQTT accounts, and what they may do."""
    with hub() as h:
        mqtt_accounts = h.mqtt_accounts.list()
    if json:
        as_json(t.as_dict() for t in mqtt_accounts)
        return
    rows = [
        (t.account, ", ".join(t.publish), ", ".join(t.subscribe), ago(t.added_at))
        for t in mqtt_accounts
    ]
    table(
        ("ACCOUNT", "MAY PUBLISH", "MAY SUBSCRIBE TO", "ADDED"),
        rows,
        "There is no MQTT account yet. `hombi mqtt add` makes one.",
        ("ADDED",),
    )


@app.command()
def add(
    name: Name, publish: Publish = None, subscribe: Subscribe = None, json: Json = False
) -> None:
    """Add an MQTT account; its key is shown only once."""
    with hub() as h:
        _show_key(h.mqtt_accounts.add(name, publish or [], subscribe or []), json)


@app.command()
def change(
    name: Name, publish: Publish = None, subscribe: Subscribe = None, json: Json = False
) -> None:
    """Change an account's topics; those not named stay."""
    with hub() as h:
        account = h.mqtt_accounts.change(name, publish=publish, subscribe=subscribe)
    may = f"may publish {', '.join(account.publish) or 'nothing'}"
    hears = f"subscribe to {', '.join(account.subscribe) or 'nothing'}"
    said(json, [account], f"{account.account} {may}, {hears}")


@app.command()
def key(name: Name, json: Json = False) -> None:
    """Make a new key; the old one stops working at once."""
    with hub() as h:
        _show_key(h.mqtt_accounts.new_key(name), json)


@app.command()
def remove(
    name: Name,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Remove an account; its key stops working."""
    if not yes:
        typer.confirm(f"The key of {name} stops working at once. Remove the account?", abort=True)
    with hub() as h:
        h.mqtt_accounts.remove(name)
    said(json, [], f"{name} is removed.")


def _show_key(account: NewMqttAccount, json: bool) -> None:
    key = bold(f"{account.key}.")
    said(json, [account], bold(account.account), "has the key", key, "It is not shown again.")
