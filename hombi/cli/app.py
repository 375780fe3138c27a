"""The command `hombi`: every command in one list."""

from __future__ import annotations

import typer

from hombi.cli import (
    automations,
    doctor,
    house,
    journal,
    lab,
    messages,
    nodes,
    pairing,
    phones,
    readings,
    serve,
    sign_in,
    tools,
    zigbee,
)
from hombi.cli.demo import demo

app = typer.Typer(
    no_args_is_help=True,
    rich_markup_mode=None,
    help="Hombi: a home hub that runs wholly in the house. HOMBI_DATA names its data folder, "
    "HOMBI_PORT its port.",
)
app.command()(house.now)
app.command()(house.status)
app.command("history")(readings.history)
app.command()(readings.follow)
app.command("set")(readings.set_)
app.command()(house.nodes)
app.command()(house.entities)
app.command()(pairing.pair)
app.command()(pairing.arrivals)
app.command()(pairing.admit)
app.command()(nodes.look)
app.command("setup-code")(nodes.setup_code)
app.command()(messages.messages)
app.command()(messages.pick)
app.command("add-node")(nodes.add_node)
app.command("add-entity")(nodes.add_entity)
app.command()(nodes.change)
app.command()(nodes.remove)
app.command("ask-again")(nodes.ask_again)
app.command()(nodes.settings)
app.command("do")(nodes.do)
app.command()(nodes.key)
app.add_typer(tools.app, name="tools")
app.add_typer(automations.app, name="automation")
app.command()(journal.journal)
app.add_typer(zigbee.app, name="zigbee")
app.add_typer(phones.app, name="phones")
app.command()(serve.serve)
app.command()(demo)
app.add_typer(lab.app, name="lab")
app.command("sign-in")(sign_in.sign_in)
app.command("claim-code")(sign_in.claim_code)
app.command()(tools.tokens)
app.command()(doctor.check)
app.command()(doctor.doctor)


def main() -> None:
    """Run the command line."""
    app()


if __name__ == "__main__":
    main()
