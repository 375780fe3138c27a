"""The parts of a house that a folder holds, in the order in which a hub takes them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from hombi.cli.house_files.shapes import (
    Absent,
    Computed,
    DashboardEntry,
    Entry,
    FileError,
    NodeEntry,
    RoomEntry,
    TileEntry,
    ValueEntry,
    read,
    written,
)
from hombi.cli.texts import read_text
from hombi.client import Hub
from hombi.wire.automations import Mistake
from hombi.wire.dashboards import TileRequest
from hombi.wire.entities import EntityDetail


@dataclass(frozen=True, slots=True)
class Text:
    """A text that the hub keeps word for word."""

    text: str


# What people and the hub itself tell belongs to this house alone.
TOLD = ("house/", "hub/")
Entries = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Part:
    """One part: where it stands in the folder, and how it is read and written. `add`
    raises Absent for what only a person can bring into the house; `sound` names the
    mistakes of an entry."""

    what: str
    file: str
    shape: type[Entry] | None
    kept: Callable[[Hub], Entries]
    add: Callable[[Hub, str, Any], str]
    change: Callable[[Hub, str, Any, Any], object]
    remove: Callable[[Hub, str], object] | None
    sound: Callable[[Hub, Any], list[Mistake]] = lambda *_: []
    settle: Callable[[Hub, Entries], None] = lambda *_: None

    def files(self, entries: Entries) -> dict[str, str]:
        """The texts of its files, by their place in the folder."""
        if self.shape is None:
            return {f"{self.file}/{name}.toml": one.text for name, one in sorted(entries.items())}
        text = written(dict(entries))
        return {self.file: text} if text else {}

    def found(self, folder: Path) -> Entries | None:
        """What the folder says of it; None where it says nothing. Raises FileError."""
        place = folder / self.file
        if self.shape is None:
            if not place.is_dir():
                return None
            return {path.stem: Text(read_text(path)) for path in sorted(place.glob("*.toml"))}
        return read(read_text(place), self.file, self.shape) if place.exists() else None


def _rooms(h: Hub) -> dict[str, RoomEntry]:
    return {
        room.room: RoomEntry(room.name, floor.name)
        for floor in sorted(h.house().floors, key=lambda one: one.position)
        for room in floor.rooms
    }


def _floor(h: Hub, name: str) -> None:
    if name not in {floor.name for floor in h.house().floors}:
        h.floors.add(name)


def _add_room(h: Hub, _: str, wanted: RoomEntry) -> str:
    _floor(h, wanted.floor)
    return h.rooms.add(wanted.name, wanted.floor).room


def _change_room(h: Hub, room: str, before: RoomEntry, wanted: RoomEntry) -> None:
    if wanted.floor != before.floor:
        _floor(h, wanted.floor)
        h.rooms.move(room, floor=wanted.floor)
    if wanted.name != before.name:
        h.rooms.rename(room, wanted.name)


def _order_rooms(h: Hub, wanted: Entries) -> None:
    """Put the rooms of each floor in the order of the file."""
    for floor in h.house().floors:
        here = [one.room for one in floor.rooms]
        order = [one for one in wanted if one in here]
        order += [one for one in here if one not in order]
        if here != order:
            for position, room in enumerate(order):
                h.rooms.move(room, position=position)


def _nodes(h: Hub) -> dict[str, NodeEntry]:
    return {node.node: NodeEntry(node.title, node.room or "") for node in h.nodes.list()}


def _add_node(h: Hub, node: str, wanted: NodeEntry) -> str:
    raise Absent


def _change_node(h: Hub, node: str, before: NodeEntry, wanted: NodeEntry) -> None:
    if wanted.name != before.name:
        h.nodes.rename(node, wanted.name)
    if wanted.room and wanted.room != before.room:
        h.nodes.move(node, wanted.room)


def _values(h: Hub) -> dict[str, ValueEntry]:
    """Those of nodes and computed ones; who is home belongs to people."""
    entities = [entity.entity for entity in h.entities.list() if not entity.entity.startswith(TOLD)]
    return {one: _value(h, h.entities.get(one)) for one in entities}


def _value(h: Hub, detail: EntityDetail) -> ValueEntry:
    own, how = detail.kept_in, detail.computed
    computed = Computed(how.method, how.sources, how.parameters) if how is not None else None
    # What is computed from one node's values stands on that, wherever it is.
    placed = computed is not None and detail.entity.partition("/")[0] == detail.room
    chained = computed is None and not detail.writable
    steps = h.conditioning.show(detail.entity).steps if chained else []
    return ValueEntry(
        detail.title, detail.hidden, own.seen_in, own.seen_decimals, own.keep,
        (detail.room or "") if placed else "", computed, steps,
    )  # fmt: skip


def _add_value(h: Hub, address: str, wanted: ValueEntry) -> str:
    how = wanted.computed
    if how is None:
        if address.partition("/")[0] not in {node.node for node in h.nodes.list()}:
            raise Absent
        raise FileError("its node has no such value here")
    made = h.computed.make(
        how.method, how.sources, title=wanted.name, room=wanted.room, parameters=how.parameters
    )
    _change_value(h, made.entity, _value(h, made), wanted)
    return made.entity


def _change_value(h: Hub, address: str, before: ValueEntry, wanted: ValueEntry) -> None:
    if wanted.computed != before.computed:
        raise FileError("it is computed otherwise here; remove it, and push again")
    if wanted.name != before.name:
        h.entities.rename(address, wanted.name)
    if wanted.hidden != before.hidden:
        h.entities.hide(address, wanted.hidden)
    seen = (wanted.unit, wanted.decimals, wanted.keep)
    if seen != (before.unit, before.decimals, before.keep):
        h.entities.see(address, unit=wanted.unit, decimals=wanted.decimals, keep=wanted.keep)
    if wanted.steps != before.steps:
        h.conditioning.set(address, wanted.steps)


def _dashboards(h: Hub) -> dict[str, DashboardEntry]:
    return {
        dashboard.dashboard: DashboardEntry(
            dashboard.title,
            [msgspec.convert(tile.as_dict(), TileEntry) for tile in dashboard.tiles],
        )
        for dashboard in h.dashboards.list()
    }


def _tiles(wanted: DashboardEntry) -> list[TileRequest]:
    return [
        TileRequest(
            sort=tile.sort, of=tile.of, size=tile.size, text=tile.text, address=tile.address
        )
        for tile in wanted.tiles
    ]


def _add_dashboard(h: Hub, dashboard: str, wanted: DashboardEntry) -> str:
    if dashboard.startswith("room-"):
        return h.dashboards.arrange(dashboard, _tiles(wanted)).dashboard
    return h.dashboards.add(wanted.title, _tiles(wanted)).dashboard


def _change_dashboard(h: Hub, dashboard: str, _: DashboardEntry, wanted: DashboardEntry) -> None:
    title = "" if dashboard.startswith("room-") else wanted.title
    h.dashboards.arrange(dashboard, _tiles(wanted), title=title)


PARTS: tuple[Part, ...] = (
    Part(
        "room", "rooms.toml", RoomEntry, _rooms, _add_room, _change_room,
        lambda h, room: h.rooms.remove(room), settle=_order_rooms,
    ),
    Part("node", "nodes.toml", NodeEntry, _nodes, _add_node, _change_node, None),
    Part(
        "value", "values.toml", ValueEntry, _values, _add_value, _change_value,
        lambda h, value: h.entities.remove(value),
    ),
    Part(
        "sequence", "sequences", None,
        lambda h: {sequence.sequence: Text(sequence.text) for sequence in h.sequences.list()},
        lambda h, _, one: h.sequences.put(one.text).sequence,
        lambda h, _, __, one: h.sequences.put(one.text),
        lambda h, name: h.sequences.remove(name),
        sound=lambda h, one: h.sequences.check(one.text).mistakes,
    ),
    Part(
        "automation", "automations", None,
        lambda h: {a.automation: Text(a.text) for a in h.automations.list()},
        lambda h, _, one: h.automations.add(one.text).automation,
        lambda h, name, _, one: h.automations.change(name, one.text),
        lambda h, name: h.automations.remove(name),
        sound=lambda h, one: h.automations.check(one.text).mistakes,
    ),
    Part(
        "dashboard", "dashboards.toml", DashboardEntry, _dashboards, _add_dashboard,
        _change_dashboard, lambda h, name: h.dashboards.remove(name),
    ),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Difference:
    """How a part of the folder differs from that of the hub."""

    part: Part
    kept: Entries
    wanted: Entries

    @property
    def new(self) -> list[str]:
        return [one for one in self.wanted if one not in self.kept]

    @property
    def changed(self) -> list[str]:
        return [n for n, one in self.wanted.items() if n in self.kept and self.kept[n] != one]

    @property
    def gone(self) -> list[str]:
        return [one for one in self.kept if one not in self.wanted]


def differences(h: Hub, folder: Path) -> Iterator[Difference]:
    """Those of all parts that the folder has. Raises FileError."""
    result = [(part, part.found(folder)) for part in PARTS]
    if all(wanted is None for _, wanted in result):
        raise FileError(f"{folder} has no file of a house; `hombi house pull {folder}` writes them")
    for part, wanted in result:
        if wanted is not None:
            yield Difference(part, part.kept(h), wanted)
