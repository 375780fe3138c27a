"""`changes` and `silent`: not what a value is, but when it moved or was heard last."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from msgspec.structs import replace

from hombi.core.automation.comparisons.base import Comparison
from hombi.core.automation.state import Event, Phase, Seen, Sight, State
from hombi.core.automation.text import span_ms
from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.rhythm import WITH_ITS_NODE
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span, show_value

USUAL = "usual"


@dataclass(frozen=True, slots=True)
class Timed(Comparison):
    """What depends on the time that has passed since something; no value starts or ends
    it. `heard_ms` of a state is from when that time counts."""

    span_ms: int
    limit: ClassVar[float] = 0.0  # type: ignore[misc]
    until: ClassVar[None] = None  # type: ignore[misc]
    beside: ClassVar[Mapping[str, str]] = {}
    takes = ""
    # How its end is told.
    over: ClassVar[str] = ""
    # What its time counts from, as in "… was heard last at 12:30".
    since: ClassVar[str] = "was heard"
    # Whether a time in which the hub was off does not count.
    counts_anew: ClassVar[bool] = False

    def starts_with(self, value: float) -> bool:
        return False

    def ends_with(self, value: float) -> bool:
        return False

    @abstractmethod
    def heard(self, state: State, event: Event, sight: Sight, now_ms: int) -> State:
        """The state with from when the time counts after this event."""

    @abstractmethod
    def is_so(self, kind: Kind, state: State, sight: Sight, now_ms: int) -> bool:
        """Whether it is so at a moment."""

    @abstractmethod
    def turns_ms(self, kind: Kind, state: State, sight: Sight, *, so: bool) -> int | None:
        """When it turns by time alone, if nothing is heard until then."""

    @abstractmethod
    def started(self, kind: Kind, state: State, now_ms: int) -> str:
        """What has made it so, in words."""

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        for key in ("until", "held", "until_held", "lost"):
            if key in table:
                hint = f"leave {key} out"
                toml.blame((*path, key), f"{key} does not go with {cls.word}", hint)
        return cls._read(toml, path, table)

    @classmethod
    def _read(cls, toml: TomlText, path: Path, table: dict[str, Any]) -> Self | None:
        result = span_ms(toml, path, table, cls.word, required=True)
        return cls(result) if result else None


class Changes(Timed):
    """It is another value than before, and so for `span_ms` after its last change."""

    __slots__ = ()
    word = "changes"
    means = "it has changed within the last"
    examples = ("5 min",)
    so_while = "changing: from a change until it has stayed the same for five minutes"
    place = 50.0
    is_state = False
    over = "it stays the same"
    since = "changed"

    def sentence(self, kind: Kind) -> str:
        return f"changing, until it stays the same for {show_span(self.span_ms)}"

    def seen(self, value: float, kind: Kind) -> str:
        return "it changed"

    def heard(self, state: State, event: Event, sight: Sight, now_ms: int) -> State:
        if not isinstance(event, Seen) or event.value is None or event.quality >= Quality.STUCK:
            return state
        changed = state.value is not None and event.value != state.value
        return replace(state, value=event.value, heard_ms=now_ms if changed else state.heard_ms)

    def is_so(self, kind: Kind, state: State, sight: Sight, now_ms: int) -> bool:
        return state.heard_ms > 0 and now_ms - state.heard_ms < self.span_ms

    def turns_ms(self, kind: Kind, state: State, sight: Sight, *, so: bool) -> int | None:
        return state.heard_ms + self.span_ms if so else None

    def started(self, kind: Kind, state: State, now_ms: int) -> str:
        changed_to = "" if state.value is None else f" to {show_value(state.value, kind)}"
        return f"it changed{changed_to}"


class Silent(Timed):
    """It was not heard for `span_ms`; 0 for longer than is usual for it."""

    __slots__ = ()
    word = "silent"
    means = "it was not heard for"
    examples = ("30 min", "usual")
    so_while = (
        'not heard for that long; `"usual"` is three times its longest usual gap of a day, or, '
        "for a contact or a switch, a node that is gone"
    )
    place = 51.0
    over = "it is heard again"
    counts_anew = True

    @classmethod
    def _read(cls, toml: TomlText, path: Path, table: dict[str, Any]) -> Self | None:
        return cls(0) if table[cls.word] == USUAL else super()._read(toml, path, table)

    def sentence(self, kind: Kind) -> str:
        if not self.span_ms:
            return "silent for longer than usual"
        return f"silent for {show_span(self.span_ms)}"

    def seen(self, value: float, kind: Kind) -> str:
        return "it is not heard"

    def heard(self, state: State, event: Event, sight: Sight, now_ms: int) -> State:
        if isinstance(event, Seen):
            good = event.value is not None and event.quality < Quality.STUCK
            return replace(state, value=event.value if good else state.value, heard_ms=now_ms)
        # What was never heard counts from when it was looked for first.
        heard_ms = max(state.heard_ms, sight.heard_ms) or now_ms
        return state if heard_ms == state.heard_ms else replace(state, heard_ms=heard_ms)

    def is_so(self, kind: Kind, state: State, sight: Sight, now_ms: int) -> bool:
        if self.goes_with_its_node(kind, sight):
            return sight.silent
        patience_ms = self._patience_ms(kind, sight)
        return (
            patience_ms is not None
            and state.heard_ms > 0
            and now_ms - state.heard_ms >= patience_ms
        )

    def turns_ms(self, kind: Kind, state: State, sight: Sight, *, so: bool) -> int | None:
        patience_ms = self._patience_ms(kind, sight)
        told = so and state.phase is not Phase.IDLE
        return None if patience_ms is None or told else state.heard_ms + patience_ms

    def started(self, kind: Kind, state: State, now_ms: int) -> str:
        return f"it was not heard for {show_span(now_ms - state.heard_ms)}"

    def goes_with_its_node(self, kind: Kind, sight: Sight) -> bool:
        """Whether it is as fresh as its node, which may say nothing of it for days."""
        fresh_with_node = not kind.a_number or sight.rhythm_ms == WITH_ITS_NODE
        return fresh_with_node and not self.span_ms

    def _patience_ms(self, kind: Kind, sight: Sight) -> int | None:
        """How long it may go unheard; None while that is not known."""
        if self.span_ms:
            return self.span_ms
        if self.goes_with_its_node(kind, sight) or not sight.rhythm_ms:
            return None
        return round(sight.rhythm_ms) + 1
