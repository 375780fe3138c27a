"""All drawing on the terminal: tables for people, JSON for programs."""

from __future__ import annotations

import json
import time
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, tzinfo
from typing import Any, Literal
from zoneinfo import ZoneInfo

from rich.cells import cell_len, set_cell_size
from rich.console import Console
from rich.table import Table
from rich.text import Text

from hombi.client import Hub
from hombi.core.outside import visible
from hombi.wire.automations import Mistake
from hombi.wire.base import Shape
from hombi.wire.entities import Entity, History
from hombi.wire.people import JournalEntry


class Terminal(Console):
    """The terminal: whatever is shown on it may come from outside, so nothing in it is
    markup, and what hides is made visible."""

    def print(self, *objects: Any, **options: Any) -> None:
        if not self.is_terminal and all(isinstance(one, str | Text) for one in objects):
            options.setdefault("soft_wrap", True)
        super().print(*(shown(one) for one in objects), markup=False, **options)


def shown(one: Any) -> Any:
    """A text that is safe to print; anything else as it is."""
    if isinstance(one, str):
        return visible(one)
    if isinstance(one, Text) and (seen := visible(one.plain)) != one.plain:
        return Text(seen, style=one.style)
    return one


def bold(text: str) -> Text:
    """A name in a sentence."""
    return Text(text, style="bold")


# What stands between colons may be part of a fingerprint: it is not a picture.
out = Terminal(highlight=False, emoji=False)
err = Terminal(stderr=True, highlight=False, emoji=False)
_TIMES = {"at", "heard_at", "asked_at", "answered_at", "admitted_at", "added_at", "started_at"}
_TIMES |= {"since", "due", "until", "start", "end"}
_BLOCKS = "▁▂▃▄▅▆▇█"
# A node that reports less often than the line has cells leaves no holes, only one that
# was away.
BRIDGED = 4


def moment(ms: int | None) -> str | None:
    """A time for programs: RFC 3339 in UTC, with milliseconds."""
    return (
        None
        if ms is None
        else datetime.fromtimestamp(ms / 1000, UTC)
        .isoformat(timespec="milliseconds")
        .replace("+00:00", "Z")
    )


class HouseTime:
    """The house's time zone, in which times are shown."""

    zone: tzinfo | None = None

    @classmethod
    def of(cls, hub: Hub) -> tzinfo:
        """Take it up from the hub."""
        cls.zone = ZoneInfo(hub.house().time_zone)
        return cls.zone


def clock(ms: int, pattern: str = "%d %b %H:%M:%S") -> str:
    """A time for people, in house time."""
    return datetime.fromtimestamp(ms / 1000, HouseTime.zone).strftime(pattern)


def ago(ms: int | None) -> str:
    """How long ago that was: "12 s", "3 min"."""
    if ms is None:
        return "never"
    seconds = max(0, int(time.time() - ms / 1000))
    for size, name in ((86_400, "d"), (3_600, "h"), (60, "min")):
        if seconds >= size:
            return f"{seconds // size} {name}"
    return f"{seconds} s"


def since(ms: int | None) -> str:
    """Since when something is so, in house time; "" for what is not known."""
    if ms is None:
        return ""
    at, now = (datetime.fromtimestamp(one, HouseTime.zone) for one in (ms / 1000, time.time()))
    days = (now.date() - at.date()).days
    return at.strftime("%H:%M" if days == 0 else "%a %H:%M" if 0 < days < 7 else "%d %b %H:%M")


def counted(number: int, what: str) -> str:
    """A number of things: "1 phone", "27 entities"."""
    if number == 1:
        return f"1 {what}"
    return f"{number} {what[:-1]}ies" if what.endswith("y") else f"{number} {what}s"


def said(json: bool, things: Iterable[Shape], *words: str | Text) -> None:
    """What came of a command: the things themselves for programs, else in words."""
    if json:
        as_json(thing.as_dict() for thing in things)
    else:
        out.print(*words)


def as_json(items: Iterable[dict[str, Any]]) -> None:
    """A list of objects, times as RFC 3339."""
    rows = [
        {
            k: moment(v) if k in _TIMES and (v is None or isinstance(v, int)) else v
            for k, v in item.items()
        }
        for item in items
    ]
    print(json.dumps(rows, indent=2))


def table(
    headings: Sequence[str],
    rows: Iterable[Sequence[str | Text]],
    empty: str,
    right: Iterable[str] = (),
) -> None:
    """A table with fine rules, or a sentence when there is nothing to show."""
    rows = list(rows)
    if not rows:
        out.print(empty)
        return
    if not out.is_terminal:
        _whole_rows(headings, rows, right)
        return
    drawn = Table(box=None, pad_edge=False, header_style="bold")
    for number, heading in enumerate(headings):
        side: Literal["left", "right"] = "right" if heading in right else "left"
        # The first is what the next command wants: it stays whole, to be copied.
        drawn.add_column(heading, justify=side, overflow="fold", no_wrap=number == 0)
    for row in rows:
        drawn.add_row(*(shown(Text(cell) if isinstance(cell, str) else cell) for cell in row))
    out.print(drawn)


def _whole_rows(
    headings: Sequence[str], rows: Sequence[Sequence[str | Text]], right: Iterable[str]
) -> None:
    """A table for a program that reads it: each row on one line, whole."""
    plain = [[visible(str(cell)).replace("\n", " ") for cell in row] for row in (headings, *rows)]
    widths = [max(map(cell_len, column)) for column in zip(*plain, strict=True)]
    aligned = [heading in right for heading in headings]
    for row in plain:
        cells = (
            " " * (width - cell_len(cell)) + cell if side else set_cell_size(cell, width)
            for cell, width, side in zip(row, widths, aligned, strict=True)
        )
        out.file.write("  ".join(cells).rstrip() + "\n")


def value(entity: Entity) -> Text:
    """An entity's value, marked with a sign and a word when it is not good."""
    if entity.quality == "good":
        drawn = Text(entity.shown, style="bold")
    elif entity.quality == "none":
        drawn = Text("nothing yet", style="dim")
    else:
        drawn = Text(
            f"{entity.shown} ! {entity.reason}",
            style="yellow" if entity.quality == "uncertain" else "red",
        )
    if entity.wanted is not None:
        sign = "→" if entity.wanted.due else "!"
        drawn.append(f" {sign} {entity.wanted.shown}", style="yellow")
    return drawn


def sparkline(history: History, width: int) -> str:
    """The means of a history in one line of blocks; a stretch without readings is
    blank."""
    if not history.at:
        return ""
    bounds = (min(history.mean), max(history.mean))
    return blocks(history.at, history.mean, (history.start, history.end), width, bounds)


def blocks(
    at: Sequence[int],
    values: Sequence[float | None],
    span: tuple[int, int],
    width: int,
    bounds: tuple[float, float],
) -> str:
    """Values over a span as one line of blocks, the lowest bound the lowest block."""
    (start, end), (low, high) = span, bounds
    cells: list[list[float]] = [[] for _ in range(width)]
    for moment, value in zip(at, values, strict=True):
        if value is not None:
            place = (moment - start) * width // max(1, end - start)
            cells[min(width - 1, max(0, place))].append(value)
    room, drawn, last = (high - low) or 1.0, "", -BRIDGED
    for place, cell in enumerate(cells):
        if cell:
            last = place
        shown = cells[last] if place - last < BRIDGED and last >= 0 else []
        drawn += _BLOCKS[int((sum(shown) / len(shown) - low) / room * 7.999)] if shown else " "
    return drawn


def mistakes(mistakes: Sequence[Mistake], name: str) -> None:
    """Every mistake with its line, a caret under its column, and what to do; unbroken,
    for editors that read it."""
    for mistake in mistakes:
        what = f"{name}:{mistake.line}:{mistake.column}: {mistake.what}"
        err.print(Text(what, style="red"), soft_wrap=True)
        if mistake.source_line:
            err.print(Text(f"    {mistake.source_line}"), soft_wrap=True)
            err.print(Text("    " + " " * (mistake.column - 1) + "^", style="red"))
        if mistake.hint:
            err.print(Text(f"    {mistake.hint}"), soft_wrap=True)


def journal_line(entry: JournalEntry) -> Text:
    """One entry of the journal on one line."""
    line = Text(clock(entry.at), style="dim")
    line.append("  ")
    alarming = entry.event.endswith(
        ("Failed", "Silent", "Refused", "Locked", "Stopped", "Unsent", "Blind", "Wrong")
    )
    line.append(entry.text, style="red" if alarming and entry.event != "HubStopped" else "")
    # What happens by itself, or names who did it already, needs no more.
    if entry.by and entry.by != "the house" and entry.by not in entry.text:
        line.append(f" · {shown(entry.by)}", style="dim")
    return line
