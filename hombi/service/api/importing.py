"""Importing a sensor's past: first what would be stored is said, then it is stored."""

from __future__ import annotations

import codecs
import io
import shutil
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import islice
from typing import IO, Any

from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.errors import UnitError
from hombi.core.house_time import known_zone
from hombi.core.series import Channel
from hombi.core.series.importing import LayoutError, Row, layout_of, rows_of
from hombi.core.units import conversion
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity
from hombi.hub.hub import Hub
from hombi.hub.past.importing import BeginImport, EndImport, TakeBackImport
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, actor, done
from hombi.service.bridge import call, change, hub, read
from hombi.wire.importing import Import, ImportPlan, WrongLine

IN_MEMORY = 1024 * 1024
AT_ONCE = 2_000
LOOKED_AT = 50
MOST_MISTAKES = 20
AHEAD_MS = 300_000
_TEXT = {"text/csv": {"schema": {"type": "string"}}}
_HOW = [
    Query("time", str, description='the column of the time, or two: "date+clock"'),
    Query("value", str, description="the column of the value"),
    Query("unit", str, description="the unit of the values; the kind's unless given"),
    Query("zone", str, description="of times without one; the house's unless given"),
    Query("order", str, enum=["dmy", "mdy"], description="of days like 3/4/2026"),
    Query("file", str, description="the file's name, for the journal"),
    Query("apply", bool, description="store it; only say what would be done unless 1"),
]


class CsvBody(BaseParser):
    """A body of `text/csv`, as the stream that it comes in."""

    media_type = "text/csv"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return stream


@dataclass(slots=True)
class _Sums:
    """What the rows come to, while they are read."""

    rows: int = 0
    taken: int = 0
    there: int = 0
    old: int = 0
    ahead: int = 0
    wrong: int = 0
    mistakes: list[WrongLine] = field(default_factory=list)
    start: int | None = None
    end: int | None = None
    low: float | None = None
    high: float | None = None

    def took(self, at_ms: int, value: float | None) -> None:
        self.taken += 1
        self.start = at_ms if self.start is None else min(self.start, at_ms)
        self.end = at_ms if self.end is None else max(self.end, at_ms)
        if value is not None:
            self.low = value if self.low is None else min(self.low, value)
            self.high = value if self.high is None else max(self.high, value)


class ImportsView(View):
    """The imports of an entity."""

    parser_classes = (CsvBody,)

    @operation(name="imports_list", gives=list[Import])
    def get(self, request: Request, node: str, name: str) -> Response:
        """The files that were imported, the latest last."""

        def look(h: Hub) -> list[Import]:
            channels = h.imports.importable(f"{node}/{name}").channels.imports()
            return [
                Import(number=c.number, file=c.file, unit=c.unit, made_at=c.since_ms)
                for c in channels
            ]

        return Response(read(look))

    @operation(name="imports_make", gives=ImportPlan, parameters=_HOW, body=_TEXT)
    def post(self, request: Request, node: str, name: str) -> Response:
        """Read a CSV with a sensor's past and say what would be stored; with `apply`,
        store it. Columns can be in any order, decimals have a comma, times be local."""
        address, asked = f"{node}/{name}", request.query_params
        apply = asked.get("apply", "") in ("1", "true")
        entity, unit = read(lambda h: _subject(h, address, asked.get("unit", "")))
        with _spooled(request.data) as file:
            return Response(_imported(request, entity, unit, file, apply=apply))


class ImportView(View):
    """One import."""

    @operation()
    def delete(self, request: Request, node: str, name: str, number: int) -> Response:
        """Take it back: what the file brought is deleted."""
        return done(request, TakeBackImport(f"{node}/{name}", number))


def _subject(h: Hub, address: str, unit: str) -> tuple[Entity, str]:
    entity = h.imports.importable(address)
    return entity.snapshot(), h.imports.unit_for(entity, unit.strip())


def _spooled(stream: Any) -> IO[bytes]:
    """The body in a file of its own, which can be read twice."""
    file = tempfile.SpooledTemporaryFile(IN_MEMORY)  # noqa: SIM115 - who reads it closes it
    if hasattr(stream, "read"):
        shutil.copyfileobj(stream, file)
    return file


def _lines(file: IO[bytes]) -> Iterator[str]:
    """Its lines as text. A byte that is not text becomes a mark. Raises Invalid for
    UTF-16, of which every other byte would be one."""
    file.seek(0)
    head = file.read(4)
    utf16 = head[:2] in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
    if utf16 or (len(head) == 4 and (not any(head[1::2]) or not any(head[::2]))):
        raise Invalid("the file is UTF-16 text; save it as UTF-8 (in a spreadsheet: CSV UTF-8)")
    file.seek(0)
    text = io.TextIOWrapper(file, encoding="utf-8-sig", errors="replace", newline="")
    try:
        # A line without an end must not fill the memory.
        while line := text.readline(65_536):
            yield line
    finally:
        text.detach()


def _imported(
    request: Request, entity: Entity, unit: str, file: IO[bytes], *, apply: bool
) -> ImportPlan:
    query = request.query_params
    zone = known_zone(query["zone"]) if query.get("zone") else hub().config.zone
    if zone is None:
        raise Invalid(f"zone={query['zone'][:60]} is not a time zone, like Europe/Berlin")
    likely = (entity.name, entity.title, entity.kind.name, entity.wire_name, "value")
    try:
        layout = layout_of(
            list(islice(_lines(file), LOOKED_AT)),
            zone,
            likely,
            time=query.get("time", ""),
            value=query.get("value", ""),
            order=query.get("order", ""),
        )
    except LayoutError as error:
        raise Invalid(str(error)) from error
    channel: Channel | None = None
    if apply:
        begun = BeginImport(entity.address, query.get("file", ""), unit)
        channel = change(actor(request), begun, lambda _, made: made)
    sums, units = _Sums(), _Units(entity, unit)
    oldest = hub().imports.oldest_ms(entity)
    newest = hub().context.clock.now_ms() + AHEAD_MS
    piece: list[Row] = []
    try:
        for row in rows_of(_lines(file), layout):
            piece.append(row)
            if len(piece) == AT_ONCE:
                _take(entity, channel, piece, sums, units, (oldest, newest))
                piece = []
        _take(entity, channel, piece, sums, units, (oldest, newest))
    except Exception:
        # All of a file, or nothing of it.
        if channel is not None:
            change(actor(request), TakeBackImport(entity.address, channel.number), lambda *_: None)
        raise
    if channel is not None and sums.start is not None and sums.end is not None:
        ended = EndImport(entity.address, channel, (sums.start, sums.end + 1), sums.taken)
        change(actor(request), ended, lambda *_: None)
    elif channel is not None:
        change(actor(request), TakeBackImport(entity.address, channel.number), lambda *_: None)
        channel = None
    factor, addend = conversion(unit, entity.kind.unit) if unit else (1.0, 0.0)
    value = layout.named(layout.value).strip()
    times = " and ".join(layout.named(one).strip() for one in layout.time)
    decimals = ", decimals with a comma" if layout.decimal == "," else ""
    return ImportPlan(
        entity=entity.address,
        layout=[
            f"the time is in {times}; a time without a zone is one of {zone.key}",
            f"the value is in {value}, in {unit or 'no unit'}{decimals}",
            *(f"values in {one} are converted" for one in units.seen if one != unit),
        ],
        unit=entity.kind.unit,
        rows=sums.rows,
        taken=sums.taken,
        there=sums.there,
        old=sums.old,
        ahead=sums.ahead,
        wrong=sums.wrong,
        mistakes=sums.mistakes,
        start=sums.start,
        end=sums.end,
        low=None if sums.low is None else sums.low * factor + addend,
        high=None if sums.high is None else sums.high * factor + addend,
        applied=apply,
        number=channel.number if channel is not None else None,
    )


class _Units:
    """Converts values that say their own unit into the one in which the file is
    taken."""

    def __init__(self, entity: Entity, unit: str) -> None:
        self._entity, self._unit = entity, unit
        self._known: dict[str, tuple[float, float] | str] = {"": (1.0, 0.0)}
        self.seen: dict[str, None] = {}

    def of(self, row: Row) -> float | str | None:
        """The value of a row; in words, why it does not fit."""
        result = self._known.get(row.unit)
        if result is None:
            result = self._known[row.unit] = self._look(row.unit)
        if isinstance(result, str):
            return result
        if row.unit:
            self.seen.setdefault(row.unit)
        return None if row.value is None else row.value * result[0] + result[1]

    def _look(self, unit: str) -> tuple[float, float] | str:
        kind = self._entity.kind
        if not kind.unit:
            return f"a {kind.shown} has no unit, and this one is in {unit[:20]}"
        try:
            return conversion(unit, self._unit)
        except UnitError as error:
            return f"its unit does not fit: {error}"


def _no_state(entity: Entity, row: Row) -> str:
    """What is wrong with a value that should be the number of a state."""
    words = entity.kind.words
    if words is None or row.value is None or row.value in range(len(words)):
        return ""
    states = ", ".join(f"{number} for {word}" for number, word in enumerate(words))
    return f"{row.value:g} is not a state; write {states}"


def _take(
    entity: Entity,
    channel: Channel | None,
    piece: list[Row],
    sums: _Sums,
    units: _Units,
    bounds: tuple[int, int],
) -> None:
    """Count some rows, and store those that can be."""
    oldest, newest = bounds
    sums.rows += len(piece)
    good: dict[int, float | None] = {}
    for row in piece:
        value = units.of(row)
        wrong = row.wrong or (value if isinstance(value, str) else _no_state(entity, row))
        if wrong or isinstance(value, str):
            sums.wrong += 1
            if len(sums.mistakes) < MOST_MISTAKES:
                sums.mistakes.append(WrongLine(line=row.line, what=wrong))
        elif row.at_ms < oldest:
            sums.old += 1
        elif row.at_ms > newest:
            sums.ahead += 1
        elif row.at_ms in good:
            sums.there += 1
        else:
            good[row.at_ms] = value
    if not good:
        return
    history = hub().context.records.history
    for at_ms in history.among(entity.id, list(good)):
        del good[at_ms]
        sums.there += 1
    for at_ms, value in good.items():
        sums.took(at_ms, value)
    if channel is not None and good:
        part = hub().imports
        live = read(lambda h: h.imports.importable(entity.address))
        call(part.take(live, channel, list(good.items())))
