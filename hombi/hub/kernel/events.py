"""Events: what happened, each as a frozen struct of its own, in the past tense.

An event knows what it is about, and says itself in one sentence. The row in the
journal, the message on the live stream and the notices are made from it.
"""

from __future__ import annotations

from functools import cache
from typing import Any, ClassVar

import msgspec

# What says what an event is about; everything else of it is its data.
_ABOUT = frozenset({"node", "entity", "automation"})


class Event(msgspec.Struct, frozen=True, kw_only=True):
    """Something that happened.

    One that is not `journaled` is only for who listens now. A `fault` may happen a
    thousand times a second: ten a minute of one node are written, the rest counted.
    """

    journaled: ClassVar[bool] = True
    fault: ClassVar[bool] = False

    node: str = ""
    entity: str = ""
    automation: str = ""

    @property
    def name(self) -> str:
        """What it is called in the journal, as in `AutomationStarted`."""
        return type(self).__name__

    @property
    def sentence(self) -> str:
        """What happened, for people."""
        return self.name

    @property
    def data(self) -> dict[str, Any]:
        """The rest of it, for programs."""
        names = (name for name in self.__struct_fields__ if name not in _ABOUT)
        return {name: getattr(self, name) for name in names}


class Quiet(Event, frozen=True, kw_only=True):
    """An event that only those hear who listen now; the journal does not have it."""

    journaled: ClassVar[bool] = False


class Fault(Event, frozen=True, kw_only=True):
    """Something that went wrong, in words."""

    fault: ClassVar[bool] = True

    what: str

    @property
    def sentence(self) -> str:
        return f"{self.node}: {self.what}" if self.node else self.what


@cache
def journaled() -> frozenset[str]:
    """The names of all events that the journal has."""
    result, left = set(), [Event]
    while left:
        kind = left.pop()
        left += kind.__subclasses__()
        if kind.journaled and kind.sentence is not Event.sentence:
            result.add(kind.__name__)
    return frozenset(result)
