"""The command `hombi`: every command in one list."""

from __future__ import annotations

import typer

from hombi.cli import automations, house, journal, pairing, phones, readings, serve, sign_in
from hombi.cli.demo import demo

app = typer.Typer(
    no_args_is_help=True,
    rich_markup_mode=None,
    help="Hombi: a home hub that runs wholly in the house. HOMBI_DATA names its data folder, HOMBI_PORT its port.",
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
app.add_typer(automations.app, name="automation")
app.command()(journal.journal)
app.add_typer(phones.app, name="phones")
app.command()(serve.serve)
app.command()(demo)
app.command("sign-in")(sign_in.sign_in)


def main() -> None:
    """Run the command line."""
    app()


if __name__ == "__main__":
    main()
