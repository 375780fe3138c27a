"""`hombi automation`: what the house does by itself."""

from __future__ import annotations

import difflib
from itertools import zip_longest
from json import dumps
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import ago, as_json, bold, clock, err, mistakes, out, said, table
from hombi.cli.exits import SAID_NO
from hombi.cli.folder import diff, pull, push
from hombi.cli.looking_back import rehearse, replay
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub, words
from hombi.cli.texts import read_text
from hombi.wire.automations import KeptText, Starter

app = noun("What the house does by itself.")
File = Annotated[
    Path,
    typer.Argument(
        exists=True,
        dir_okay=False,
        readable=True,
        help="A TOML text; docs/automations.md shows the format.",
    ),
]
Name = Annotated[str, typer.Argument(help="The automation.", autocompletion=complete.automations)]

Leave = Annotated[bool, typer.Option("--leave", help="Do not run its end actions.")]


@app.command("list")
def list_(json: Json = False) -> None:
    """List the automations and their states."""
    with hub() as h:
        automations = h.automations.list()
    if json:
        as_json(a.as_dict() for a in automations)
        return
    rows = []
    for a in automations:
        phase = (
            Text("off duty", style="dim")
            if not a.enabled
            else Text(a.phase, style="bold yellow" if a.phase == "on" else "")
        )
        if a.stopped:
            phase = Text("stopped", style="red")
        elif a.mistakes:
            phase = Text("in part" if a.sentence else "cannot run", style="red")
        rows.append((
            a.automation, phase, ago(a.since) if a.since else "",
            ago(a.started_at) if a.started_at else "never", str(a.started_lately),
            a.sentence or a.mistakes[0].what,
        ))  # fmt: skip
    table(
        ("AUTOMATION", "IS", "SINCE", "STARTED", "IN 7 D", "WHAT IT DOES"),
        rows,
        "There are no automations yet. `hombi automation add FILE` adds one.",
    )


@app.command()
def check(file: File, json: Json = False) -> None:
    """Check a text: every mistake with its line and column. Nothing is stored."""
    with hub() as h:
        checked = h.automations.check(read_text(file))
    if json:
        as_json([checked.as_dict()])
    elif checked.ok:
        out.print(f"{file} is sound. {checked.sentence}")
        mistakes(checked.warnings, str(file))
    else:
        mistakes(checked.mistakes, str(file))
    if not checked.ok:
        raise typer.Exit(SAID_NO)


@app.command()
def add(file: File, json: Json = False) -> None:
    """Add an automation from its text, kept word for word."""
    with hub() as h, words(str(file)):
        text = read_text(file)
        added = h.automations.add(text)
        said(json, [added], bold(added.automation), f"is on duty. {added.sentence}")
        mistakes(h.automations.check(text).warnings, str(file))


@app.command()
def change(name: Name, file: File, leave: Leave = False, json: Json = False) -> None:
    """Give an automation another text. One that is on goes on if it watches the same as
    before, else it ends first."""
    with hub() as h, words(str(file)):
        text = read_text(file)
        changed = h.automations.change(name, text, leave=leave)
        text_is = f"has its new text. {changed.sentence}"
        said(json, [changed], bold(changed.automation), text_is)
        mistakes(h.automations.check(text).warnings, str(file))


@app.command()
def show(name: Name, json: Json = False) -> None:
    """An automation's text, as it was written."""
    with hub() as h:
        automation = h.automations.get(name)
    if json:
        as_json([automation.as_dict()])
    else:
        print(automation.text, end="")


@app.command()
def acknowledge(name: Name, json: Json = False) -> None:
    """Say that somebody sees to it: it reminds nobody until it starts again."""
    with hub() as h:
        automation = h.automations.acknowledge(name)
    said(json, [automation], f"{automation.name} reminds nobody any more.")


@app.command()
def schema() -> None:
    """The language as a JSON Schema, for editors."""
    with hub() as h:
        print(dumps(h.automations.schema(), indent=2, ensure_ascii=False))


@app.command()
def texts(name: Name, json: Json = False) -> None:
    """The texts that an automation had, the present one first."""
    with hub() as h:
        result = h.automations.texts(name)
    if json:
        as_json(text.as_dict() for text in result)
        return
    rows = []
    for number, (one, before) in enumerate(zip_longest(result, result[1:]), start=1):
        since = clock(one.at, "%d %b %Y %H:%M") if one.at else "not known"
        rows.append((str(number), since, one.by or "", _changed(one, before)))
    table(("NO.", "SINCE", "BY", "WHAT CHANGED"), rows, "")


def _changed(text: KeptText, before: KeptText | None) -> str:
    """The first line that is another, and how many more there are."""
    if before is None:
        return ""
    lines = [
        line
        for line in difflib.ndiff(before.text.splitlines(), text.text.splitlines())
        if line[:2] in ("+ ", "- ")
    ]
    new = [line for line in lines if line.startswith("+")] or lines
    more = f" (and {len(new) - 1} more)" if len(new) > 1 else ""
    return (new[0] if new else "its line ends") + more


@app.command()
def undo(
    name: Name,
    to: Annotated[
        int, typer.Option(min=2, help="The number of the text, as `texts` shows it.")
    ] = 2,
    leave: Leave = False,
    json: Json = False,
) -> None:
    """Give an automation the text that it had before."""
    with hub() as h, words(name):
        result = h.automations.texts(name)
        if len(result) < to:
            had = "no other text" if len(result) < 2 else f"{len(result)} texts only"
            err.print(f"{name} has had {had}", style="red")
            raise typer.Exit(SAID_NO)
        changed = h.automations.change(name, result[to - 1].text, leave=leave)
        said(json, [changed], bold(changed.automation), f"is as before. {changed.sentence}")


@app.command()
def duty(
    name: Name,
    to: Annotated[
        str, typer.Argument(help="on or off.", autocompletion=complete.one_of("on", "off"))
    ],
    leave: Leave = False,
    json: Json = False,
) -> None:
    """Put an automation on duty, or off it. One that is on ends first, as its text
    says."""
    if to not in ("on", "off"):
        err.print(f"duty is on or off, not {to}", style="red")
        raise typer.Exit(2)
    with hub() as h:
        automation = h.automations.duty(name, to == "on", leave=leave)
        said(json, [automation], f"{automation.name or name} is {to} duty.")


@app.command()
def remove(name: Name, leave: Leave = False, json: Json = False) -> None:
    """Remove an automation. One that is on ends first, as its text says."""
    with hub() as h:
        was = h.automations.get(name)
        h.automations.remove(name, leave=leave)
        said(json, [was], f"{was.name or name} is removed.")


@app.command()
def run(
    name: Name,
    edge: Annotated[
        str,
        typer.Option(help="start or end.", autocompletion=complete.one_of("start", "end")),
    ] = "start",
    yes: Annotated[bool, typer.Option("--yes", "-y", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Run an automation's actions now, ignoring its conditions."""
    if edge not in ("start", "end"):
        err.print(f"edge is start or end, not {edge}", style="red")
        raise typer.Exit(2)
    with hub() as h:
        automation = h.automations.get(name)
        if not yes:
            typer.confirm(f"Run the {edge} actions of {automation.name} now?", abort=True)
        h.automations.run(automation.automation, "start" if edge == "start" else "end")
    said(json, [automation], f"The {edge} actions of {automation.name} were run.")


@app.command()
def starter(
    name: Annotated[str, typer.Argument(help="The starter; without one, all are listed.")] = "",
    blanks: Annotated[
        list[str] | None,
        typer.Argument(metavar="[BLANK=VALUE]…", help="Its blanks; without any, they are listed."),
    ] = None,
    json: Json = False,
) -> None:
    """Begin with a ready-made automation: its blanks make a text, which is printed."""
    with hub() as h:
        known = {one.starter: one for one in h.automations.starters()}
        if not name:
            if json:
                as_json(one.as_dict() for one in known.values())
            else:
                rows = [(one.starter, one.title, one.about) for one in known.values()]
                table(("STARTER", "NAME", "WHAT IT DOES"), rows, "")
            return
        if not blanks and name in known:
            _blanks(known[name], json=json)
            return
        pairs = [blank.partition("=") for blank in blanks or []]
        made = h.automations.fill(name, {key.strip(): value.strip() for key, _, value in pairs})
    if json:
        as_json([made.as_dict()])
    else:
        print(made.text, end="")
        mistakes(made.mistakes, "the text")


def _blanks(starter: Starter, *, json: bool) -> None:
    if json:
        as_json([starter.as_dict()])
        return
    out.print(bold(starter.title), starter.about)
    rows = [
        (
            blank.name,
            blank.label,
            ", ".join(blank.kinds),
            blank.usual,
            "" if blank.needed else "may be empty",
        )
        for blank in starter.blanks
    ]
    table(("BLANK", "WHAT", "KIND", "LIKE", ""), rows, "")


for _command in (replay, rehearse, pull, push, diff):
    app.command(_command.__name__)(_command)
