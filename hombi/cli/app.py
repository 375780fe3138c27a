"""The command `hombi`: every command in one list, in groups. What a command needs is
loaded when it is called, so that each answers at once."""

from __future__ import annotations

import sys
from dataclasses import dataclass
from importlib import import_module
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from hombi.cli.noun import noun
from hombi.cli.poor_output import take_any_sign


@dataclass(frozen=True, slots=True)
class Command:
    """One command: the module and the function (or the Typer app) behind it, and what
    it does, shorter than it says itself: to list it, it need not be loaded."""

    name: str
    place: str
    about: str


@dataclass(frozen=True, slots=True)
class Group:
    """Commands that belong together, with a sentence about them."""

    title: str
    about: str
    commands: tuple[Command, ...]


GROUPS = (
    Group(
        "Every day",
        "what is so now, what it was, and switching it",
        (
            Command("now", "house:now", "Every current value, by room."),
            Command("status", "house:status", "The hub at a glance, and what needs you."),
            Command("history", "readings:history", "One entity over time."),
            Command("compare", "compare:compare", "Entities beside each other, or with before."),
            Command("review", "review:review", "A month or week of the rooms, side by side."),
            Command("tally", "tally:tally", "How often or how long, by day, week, month."),
            Command("export", "export:export", "One entity's readings as a file."),
            Command("import", "importing:import_", "A sensor's past from a file."),
            Command("follow", "readings:follow", "Readings as they come in, until Ctrl-C."),
            Command("set", "readings:set_", "Set an entity, and wait until its node confirms it."),
            Command("why", "looking_back:why", "Why an automation is on, or did not start."),
            Command("notices", "contact:notices", "What people were told, and what became of it."),
            Command("journal", "journal:journal", "What happened, in order, the latest last."),
            Command("kinds", "kinds:kinds", "What a value can be, and in which units."),
        ),
    ),
    Group(
        "Letting nodes in",
        "open the pairing window, see who asks, let them in",
        (
            Command("pair", "pairing:pair", "Open the pairing window; it closes by itself."),
            Command("arrivals", "pairing:arrivals", "The nodes that wait to be let in."),
            Command("admit", "pairing:admit", "Let an arrival in, with its setup code."),
        ),
    ),
    Group(
        "What there is",
        "each noun has commands of its own: `hombi node --help`",
        (
            Command("house", "house_folder:app", "The whole house as text files."),
            Command("node", "node:app", "The nodes of the house, and what is theirs."),
            Command("entity", "entity:app", "The values of the house."),
            Command("steps", "steps:app", "The steps that values go through."),
            Command("calibrate", "calibrate:calibrate", "A sensor beside a reference."),
            Command("compute", "compute:app", "Values that are computed from others."),
            Command("room", "room:app", "Floors and rooms."),
            Command("sequence", "sequence:app", "Lists of actions that automations run."),
            Command("person", "person:app", "The household: who is home, and who may what."),
            Command("scene", "scene:app", "States that are recalled together."),
            Command("dashboard", "dashboard:app", "Pages of tiles, as they are and as files."),
            Command("automation", "automation:app", "What the house does by itself."),
            Command("contact", "contact:app", "How people are reached: phones, mail, posts."),
            Command("mqtt", "mqtt:app", "MQTT accounts for your own boards and programs."),
            Command("token", "token:app", "Programs that are signed in."),
            Command("browser", "browser:app", "Browsers that are signed in."),
            Command("link", "link:app", "The ways in which nodes are reached."),
        ),
    ),
    Group(
        "The hub itself",
        "running it, and looking after it",
        (
            Command("serve", "serve:serve", "Run the hub, until Ctrl-C."),
            Command("demo", "demo:demo", "Run the hub with a whole house to try things in."),
            Command("lab", "lab:app", "The demo's radio nodes, in your hand."),
            Command("service", "service:app", "Have systemd run the hub."),
            Command("doctor", "doctor:doctor", "Check every part of the hub."),
            Command("backup", "backup:backup", "The whole house in a file; or check one."),
            Command("restore", "backup:restore", "Put a backup in place, also on a new machine."),
            Command("salvage", "backup:salvage", "What can be read of a damaged database."),
            Command("trust", "trust:trust", "Have devices trust the house, for HTTPS."),
            Command("check", "doctor:check", "Check hombi.toml, or a node profile."),
            Command("sign-in", "sign_in:sign_in", "Use a hub on another machine."),
        ),
    ),
)
# What a command was called before: scripts go on, and are told.
RENAMED = {
    "tool": "mqtt",
    "way": "contact",
    "derive": "compute",
    "condition": "steps",
    "member": "person",
}
BY_NAME = {command.name: command for group in GROUPS for command in group.commands}


class Lazy(TyperGroup):
    """The commands of `GROUPS`, each loaded when it is called."""

    # Click is a matter of Typer's; its types are not named here.

    def __init__(self, **given: Any) -> None:
        super().__init__(**given)
        self.commands = dict.fromkeys(BY_NAME, self)  # what a mistyped one may have meant

    def list_commands(self, ctx: Any) -> list[str]:
        return list(BY_NAME)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        if (now := RENAMED.get(cmd_name)) is not None:
            print(f"`hombi {cmd_name}` is called `hombi {now}` now.", file=sys.stderr)
        command = BY_NAME.get(now or cmd_name)
        return None if command is None else load(command)

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        width = max(len(name) for name in BY_NAME)
        for group in GROUPS:
            with formatter.section(f"{group.title} ({group.about})"):
                rows = [(command.name.ljust(width), command.about) for command in group.commands]
                formatter.write_dl(rows)


def load(command: Command) -> Any:
    """A command with what it needs."""
    module, _, name = command.place.partition(":")
    result = getattr(import_module(f"hombi.cli.{module}"), name)
    if not isinstance(result, typer.Typer):
        one = noun("")
        one.command(command.name)(result)
        result = one
    made = typer.main.get_command(result)
    made.name = command.name
    return made


app = typer.Typer(
    cls=Lazy,
    no_args_is_help=True,
    rich_markup_mode=None,
    # What a function held when it failed may be a secret.
    pretty_exceptions_enable=False,
    help="Hombi: a home hub that runs wholly in the house. HOMBI_DATA names its data "
    "folder, HOMBI_PORT its port.",
)


def _version(wanted: bool) -> None:
    if wanted:
        from hombi import __version__  # noqa: PLC0415

        print(f"hombi {__version__}")
        raise typer.Exit


@app.callback()
def hombi(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """What all commands have in common."""


def main() -> None:
    """Run the command line."""
    take_any_sign()
    app()


if __name__ == "__main__":
    main()
