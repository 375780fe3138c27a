"""What is told of an automation: that it started or ended, and what goes with its
notices, the buttons that a phone offers and how it is now when it is over."""

from __future__ import annotations

from typing import Any

from hombi.core.automation import EdgeKind, Program, Why
from hombi.core.automation.actions import Switch
from hombi.core.automation.flow import each
from hombi.core.values import show_value
from hombi.hub.automations.events import AutomationBlind, AutomationEnded, AutomationStarted
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Event
from hombi.hub.notices.buttons import ACKNOWLEDGE, HUSH, OFF

_EDGES: dict[EdgeKind, type[AutomationStarted | AutomationEnded | AutomationBlind]] = {
    EdgeKind.START: AutomationStarted,
    EdgeKind.END: AutomationEnded,
    EdgeKind.LOST: AutomationBlind,
}


def edge_event(name: str, program: Program, why: Why) -> Event:
    """An automation started or ended, or cannot see any more, and why."""
    return _EDGES[why.edge](
        automation=name,
        entity=why.entity or program.watch.entity,
        title=program.name,
        why=why.text,
        value=why.seen,
        limit=why.limit,
        held_ms=why.held_ms,
    )


def buttons_of(name: str, program: Program, house: House) -> tuple[dict[str, Any], ...]:
    """The most useful first: many phones show two."""
    result: list[dict[str, Any]] = []
    if program.reminds:
        result.append({"do": ACKNOWLEDGE, "label": "I see to it", "automation": name})
    on = (switch for _, switch in each(program.starts) if isinstance(switch, Switch) and switch.to)
    entity = house.entities.get(next((switch.entity for switch in on), ""))
    if entity is not None:
        label = f"Switch {entity.spoken} off"
        result.append({"do": OFF, "label": label, "entity": entity.address})
    result.append({"do": HUSH, "label": "Not again for an hour"})
    return tuple(result)


def over_text(entity: Entity | None, lasted: str) -> str:
    """What is said when it is over: "closed again after 6 min"."""
    latest = entity.latest if entity is not None else None
    if entity is None or latest is None or latest.value is None:
        return f"over after {lasted}"
    shown = show_value(latest.value, entity.kind)
    if entity.kind.words is not None:
        return f"{shown} again after {lasted}"
    return f"over after {lasted}: {shown}"
