"""What every feature of the hub stands on: its context, changes with an actor, events,
and a supervisor that keeps the features going."""

from hombi.hub.kernel.actor import HOUSE, STRANGER, Actor, ActorKind, Limit, Role
from hombi.hub.kernel.change import Change, Changes, Done
from hombi.hub.kernel.clock import Clock, RealClock, Timer
from hombi.hub.kernel.context import Context, Feature, Need
from hombi.hub.kernel.events import Event, journaled
from hombi.hub.kernel.journal import Journal
from hombi.hub.kernel.live import Live, LiveEvent
from hombi.hub.kernel.policy import ROLES, Right, allows
from hombi.hub.kernel.records_thread import RecordsThread
from hombi.hub.kernel.stored import while_stored
from hombi.hub.kernel.supervisor import Supervisor

__all__ = [
    "HOUSE",
    "ROLES",
    "STRANGER",
    "Actor",
    "ActorKind",
    "Change",
    "Changes",
    "Clock",
    "Context",
    "Done",
    "Event",
    "Feature",
    "Journal",
    "Limit",
    "Live",
    "LiveEvent",
    "Need",
    "RealClock",
    "RecordsThread",
    "Right",
    "Role",
    "Supervisor",
    "Timer",
    "allows",
    "journaled",
    "while_stored",
]
