"""A sensor's past from a table that somebody else has written: CSV with columns in any
order, decimal commas, local times. What is read of it is said before it is taken."""

from __future__ import annotations

import csv
import math
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime, tzinfo
from itertools import chain, islice
from statistics import median

import msgspec

DELIMITERS = (";", "\t", ",")
LOOKED_AT = 50
LONGEST_LINE = 10_000
TIME_WORDS = ("time", "timestamp", "datetime", "date", "ts", "at", "when", "zeit", "datum")
UNIT_WORDS = ("unit", "units", "einheit")
DAY_WORDS, CLOCK_WORDS = ("date", "day", "datum"), ("time", "clock", "zeit", "uhrzeit")
NOTHING = frozenset({"", "-", "–", "nan", "null", "none", "n/a"})
FORMATS = ("%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M")
# 3/4/2026 is a day in March or in April; only who wrote it knows.
BY_ORDER = {
    "dmy": ("%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M"),
    "mdy": ("%m/%d/%Y %H:%M:%S", "%m/%d/%Y %H:%M"),
}
# Seconds since 1970 are in this range from 1980 to 2100, ms a thousand times that.
EARLIEST_S, LATEST_S = 3.1e8, 4.2e9


class LayoutError(ValueError):
    """A table that cannot be understood; the message says why, and what to do."""


class Layout(msgspec.Struct, frozen=True):
    """How a table is read: its delimiter, the columns that make up a time, the column
    of the value, the sign in its decimals, and the zone of times without one."""

    delimiter: str
    names: tuple[str, ...]
    heading: bool
    time: tuple[int, ...]
    value: int
    decimal: str
    zone: tzinfo
    order: str = ""
    # The column that names the unit of each value, if there is one.
    unit: int | None = None

    def named(self, column: int) -> str:
        """A column as people call it."""
        return self.names[column] if self.heading else f"column {column + 1}"


class Row(msgspec.Struct, frozen=True):
    """One line: its time and value (None for none), or what is wrong with it."""

    line: int
    at_ms: int
    value: float | None
    wrong: str = ""
    unit: str = ""


def layout_of(
    lines: Sequence[str],
    zone: tzinfo,
    likely: Sequence[str] = (),
    *,
    time: str = "",
    value: str = "",
    order: str = "",
) -> Layout:
    """How a table is read, from its first lines. `likely` are the names that the column
    of the value may have; `time` and `value` name columns where that is not so. Raises
    LayoutError."""
    some = [line for line in lines if line.strip() and len(line) <= LONGEST_LINE][:LOOKED_AT]
    if not some:
        raise LayoutError("the file is empty")
    # A wrong line among the first ones says nothing of the others.
    try:
        delimiter = max(DELIMITERS, key=lambda sign: median(len(_cells(x, sign)) for x in some))
        table = [_cells(line, delimiter) for line in some]
    except csv.Error as error:
        raise LayoutError(f"the file is not a table: {error}") from error
    if order and order not in BY_ORDER:
        raise LayoutError(f"order={order} is not known; use dmy or mdy")
    first, body = table[0], table[1:] or table
    heading = not any(_time(cell, zone, order) or _is_number(cell) for cell in first)
    names = tuple(cell.strip().lower() for cell in first) if heading else ()
    row = body[0] if heading else first
    times = _time_columns(row, names, zone, order, time, first)
    column = _value_column(body, names, set(times), [one.lower() for one in likely], value, first)
    cells = [one[column] for one in body if column < len(one)]
    decimal = "," if any("," in cell for cell in cells) and delimiter != "," else "."
    unit = next((n for n, name in enumerate(names) if name in UNIT_WORDS), None)
    if unit is not None and unit in (*times, column):
        unit = None
    return Layout(delimiter, tuple(first), heading, times, column, decimal, zone, order, unit)


def rows_of(lines: Iterable[str], layout: Layout) -> Iterator[Row]:
    """All rows of a table; one that is wrong says so, and the others follow. In the
    hour that the clocks repeat, a time that is earlier than the one before belongs to
    its second pass."""
    order = _Order()
    for number, line in enumerate(lines, start=1):
        if (number == 1 and layout.heading) or not line.strip():
            continue
        yield _row(number, line, layout, order)


class _Order:
    """In which direction the times of a table go, and to which pass of a repeated hour
    one belongs."""

    def __init__(self) -> None:
        self._before_ms: int | None = None
        self._falls = False

    def placed(self, first_ms: int, second_ms: int) -> int:
        """The moment of a time of the clock: of two, the one that goes on in the order
        of the table."""
        before = self._before_ms
        at_ms = first_ms
        if before is not None and first_ms != second_ms:
            ahead = [
                one
                for one in (first_ms, second_ms)
                if (one <= before if self._falls else one >= before)
            ]
            if not ahead:  # the times go the other way
                self._falls = not self._falls
            at_ms = min(ahead or (first_ms, second_ms), key=lambda one: abs(one - before))
        elif before is not None and at_ms != before:
            self._falls = at_ms < before
        self._before_ms = at_ms
        return at_ms


def _row(number: int, line: str, layout: Layout, order: _Order) -> Row:
    if len(line) > LONGEST_LINE:
        return Row(number, 0, None, "the line is too long")
    try:
        cells = _cells(line, layout.delimiter)
    except csv.Error as error:
        return Row(number, 0, None, str(error))
    if len(cells) <= max(*layout.time, layout.value):
        return Row(number, 0, None, f"it has {len(cells)} columns")
    text = " ".join(cells[one].strip() for one in layout.time)
    first = _time(text, layout.zone, layout.order)
    if first is None:
        return Row(number, 0, None, f"{text[:40]!r} is not a time")
    at = order.placed(first, _time(text, layout.zone, layout.order, fold=1) or first)
    given = cells[layout.value].strip()
    unit = (
        cells[layout.unit].strip() if layout.unit is not None and layout.unit < len(cells) else ""
    )
    if given.lower() in NOTHING:
        return Row(number, at, None)
    try:
        value = float(given.replace(",", ".") if layout.decimal == "," else given)
    except ValueError:
        return Row(number, at, None, f"{given[:40]!r} is not a number")
    if not math.isfinite(value):
        return Row(number, at, None, f"{given[:40]!r} is not a number")
    return Row(number, at, value, unit=unit)


def _cells(line: str, delimiter: str) -> list[str]:
    return next(csv.reader([line.rstrip("\r\n")], delimiter=delimiter), [])


def _time_columns(
    row: Sequence[str],
    names: Sequence[str],
    zone: tzinfo,
    order: str,
    wanted: str,
    first: Sequence[str],
) -> tuple[int, ...]:
    if wanted:
        return tuple(_column(one.strip(), names, first) for one in wanted.split("+"))
    day = next((n for n, name in enumerate(names) if name in DAY_WORDS), None)
    clock = next((n for n, name in enumerate(names) if name in CLOCK_WORDS), None)
    if day is not None and clock is not None and max(day, clock) < len(row):
        both = f"{row[day].strip()} {row[clock].strip()}"
        if _time(both, zone, order) is not None and _time(row[clock], zone, order) is None:
            return day, clock
    likely = [n for n, name in enumerate(names) if name in TIME_WORDS]
    for column in chain(likely, range(len(row))):
        if column < len(row) and _time(row[column], zone, order) is not None:
            return (column,)
    for column in range(len(row) - 1):
        if _time(f"{row[column].strip()} {row[column + 1].strip()}", zone, order) is not None:
            return column, column + 1
    shown = ", ".join(cell[:30] for cell in islice(row, 6))
    slashes = "; say order=dmy or mdy" if any("/" in cell for cell in row) and not order else ""
    raise LayoutError(f"no column has times in it ({shown}){slashes}")


def _value_column(
    body: Sequence[Sequence[str]],
    names: Sequence[str],
    times: set[int],
    likely: Sequence[str],
    wanted: str,
    first: Sequence[str],
) -> int:
    if wanted:
        return _column(wanted, names, first)
    free = [n for n in range(max(map(len, body))) if n not in times]
    numbers = [n for n in free if any(n < len(row) and _is_number(row[n]) for row in body)]
    for column in numbers:
        if column < len(names) and any(one and one in names[column] for one in likely):
            return column
    if len(numbers) == 1 or (numbers and not names):
        return numbers[0]
    if not numbers:
        raise LayoutError("no column has numbers in it beside the times")
    choice = ", ".join(first[n].strip() for n in numbers)
    raise LayoutError(f"several columns have numbers ({choice}); say which one with value=…")


def _column(wanted: str, names: Sequence[str], first: Sequence[str]) -> int:
    if wanted.lower() in names:
        return list(names).index(wanted.lower())
    if wanted.isdigit() and 1 <= int(wanted) <= len(first):
        return int(wanted) - 1
    known = ", ".join(names) or f"1 to {len(first)}"
    raise LayoutError(f"there is no column {wanted[:40]!r}; there are {known}")


def _is_number(cell: str) -> bool:
    try:
        return math.isfinite(float(cell.strip().replace(",", ".")))
    except ValueError:
        return False


def _time(text: str, zone: tzinfo, order: str, fold: int = 0) -> int | None:
    """A moment in ms since 1970; None for what is not a time with a day. `fold` says
    which pass is meant of an hour that the clocks repeat."""
    text = text.strip()
    if _is_number(text):
        number = float(text.replace(",", "."))
        if EARLIEST_S <= number <= LATEST_S:
            return round(number * 1000)
        return round(number) if EARLIEST_S <= number / 1000 <= LATEST_S else None
    if len(text) < len("1.1.2026 1:00"):
        return None
    result: datetime | None = None
    try:
        result = datetime.fromisoformat(text)
    except ValueError:
        for pattern in (*FORMATS, *BY_ORDER.get(order, ())):
            try:
                result = datetime.strptime(text, pattern)
                break
            except ValueError:
                continue
    if result is None or not 1980 <= result.year <= 2100:
        return None
    aware = result if result.tzinfo else result.replace(tzinfo=zone, fold=fold)
    return round(aware.timestamp() * 1000)
