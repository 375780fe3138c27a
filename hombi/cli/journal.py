"""`hombi journal`: what happened."""

from __future__ import annotations

from itertools import islice
from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, journal_line, out
from hombi.cli.run import Json, hub


def journal(
    number: Annotated[int, typer.Option("--number", "-n", min=1, help="How many entries.")] = 30,
    node: Annotated[
        str, typer.Option(help="Only about this node.", autocompletion=complete.nodes)
    ] = "",
    automation: Annotated[
        str, typer.Option(help="Only about this automation.", autocompletion=complete.automations)
    ] = "",
    event: Annotated[
        str,
        typer.Option(
            help="Only this event, like AutomationStarted.", autocompletion=complete.events
        ),
    ] = "",
    follow: Annotated[
        bool, typer.Option("--follow", "-f", help="Stay, and show what happens.")
    ] = False,
    json: Json = False,
) -> None:
    """What happened, in order, the latest last."""
    with hub() as h:
        HouseTime.of(h)
        entries = list(
            islice(
                h.journal(
                    event=event, node=node, automation=automation, page_size=min(number, 500)
                ),
                number,
            )
        )
        entries.reverse()
        if json:
            as_json(e.as_dict() for e in entries)
        else:
            for entry in entries:
                out.print(journal_line(entry), soft_wrap=True)
            if not entries:
                out.print("No events of this kind.")
        if not follow:
            return
        node = h.nodes.get(node).node if node else ""
        automation = h.automations.get(automation).automation if automation else ""
        try:
            for news in h.live():
                if news.kind == "journal":
                    entry = news.news
                    if all(
                        not w or w == got
                        for w, got in (
                            (node, entry.node),
                            (automation, entry.automation),
                            (event, entry.event),
                        )
                    ):
                        out.print(journal_line(entry), soft_wrap=True)
        except KeyboardInterrupt:
            return
