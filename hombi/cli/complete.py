"""What the shell completes: names that the hub knows. A hub that does not answer
completes nothing."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from hombi.cli.where import find_hub
from hombi.client import Hub, HubProblem, HubUnreachable


def _names(ask: Callable[[Hub], Iterable[str]]) -> Callable[[str], list[str]]:
    def complete(incomplete: str) -> list[str]:
        try:
            with find_hub().hub() as hub:
                return [name for name in ask(hub) if name.startswith(incomplete)]
        except (HubProblem, HubUnreachable):
            return []

    return complete


rooms = _names(lambda hub: (room.room for floor in hub.house().floors for room in floor.rooms))
dashboards = _names(lambda hub: (dashboard.dashboard for dashboard in hub.dashboards.list()))
scenes = _names(lambda hub: (scene.scene for scene in hub.scenes.list()))
sequences = _names(lambda hub: (sequence.sequence for sequence in hub.sequences.list()))
nodes = _names(lambda hub: (n.node for n in hub.nodes.list()))
entities = _names(lambda hub: (e.entity for e in hub.entities.list()))
settable = _names(lambda hub: (e.entity for e in hub.entities.list() if e.writable))
automations = _names(lambda hub: (a.automation for a in hub.automations.list()))
arrivals = _names(lambda hub: (a.id for a in hub.pairing.arrivals()))
kinds = _names(lambda hub: (k.kind for k in hub.kinds()))
events = _names(lambda hub: hub.journal_events().events)
floors = _names(lambda hub: (floor.name for floor in hub.house().floors))


def one_of(*words: str) -> Callable[[str], list[str]]:
    """Complete one of a few words."""
    return lambda incomplete: [word for word in words if word.startswith(incomplete)]
