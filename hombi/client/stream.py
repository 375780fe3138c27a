"""Server-Sent Events: text to events. No I/O."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import msgspec

PATH, MESSAGES_PATH = "/api/live", "/api/messages/live"


@dataclass(frozen=True, slots=True)
class LiveEvent:
    """One event of the live stream. `kind` "reset" means that some were missed: fetch
    the present state anew."""

    kind: str
    data: dict[str, Any]
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
            kind, data = self._kind, "\n".join(self._data)
            self._kind, self._data = "", []
            return (
                LiveEvent(kind or "message", msgspec.json.decode(data), self.last_id)
                if data
                else None
            )
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
        return {
            "Accept": "text/event-stream",
            **({"Last-Event-ID": self.last_id} if self.last_id else {}),
        }
