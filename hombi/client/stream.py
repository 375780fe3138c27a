"""Server-Sent Events: text to events. No I/O."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import msgspec

from hombi.wire.base import Shape
from hombi.wire.live import NEWS
from hombi.wire.messages import Messages

PATH, MESSAGES_PATH = "/api/live", "/api/messages/live"
_SHAPES: dict[str, type[Shape]] = {**NEWS, "messages": Messages}


# The header in which an answer says where the live stream stood when it was made.
POSITION = "Hombi-Live"


@dataclass(frozen=True, slots=True)
class LiveEvent:
    """One event of the live stream. `news` is what happened, in the shape of its kind
    (`hombi.wire.live`); None for one of a kind that only a newer hub knows.

    `kind` "reset" means that some were missed: fetch the present state again.
    """

    kind: str
    news: Any
    id: str = ""


@dataclass
class EventReader:
    """Puts the lines of a stream together (WHATWG HTML, 9.2.6), and remembers where to
    resume."""

    last_id: str = ""
    _kind: str = ""
    _data: list[str] = field(default_factory=list)

    def line(self, line: str) -> LiveEvent | None:
        """The event that ends with this line, if one does."""
        if not line:
            kind, data = self._kind or "message", "\n".join(self._data)
            self._kind, self._data = "", []
            if not data:
                return None
            shape = _SHAPES.get(kind)
            news = None if shape is None else msgspec.json.decode(data, type=shape)
            return LiveEvent(kind, news, self.last_id)
        name, _, value = line.partition(":")
        value = value.removeprefix(" ")
        if name == "id":
            self.last_id = value
        elif name == "event":
            self._kind = value
        elif name == "data":
            self._data.append(value)
        return None

    @property
    def headers(self) -> dict[str, str]:
        """What to send so that the stream goes on where it stopped."""
        resume = {"Last-Event-ID": self.last_id} if self.last_id else {}
        return {"Accept": "text/event-stream", **resume}
