"""What happens to the hub itself: starts, stops, its clock, its settings."""

from __future__ import annotations

from hombi.hub.kernel.events import Event, Fault, Quiet


class WritingFailed(Fault, frozen=True, kw_only=True):
    """The disk does not take what is to be stored; it is kept and tried again."""


class WritingResumed(Event, frozen=True, kw_only=True):
    """The disk takes readings again."""

    held: int

    @property
    def sentence(self) -> str:
        return f"readings are saved again; {self.held} were held in memory"


class JobsChanged(Quiet, frozen=True, kw_only=True):
    """Work over the past began, ended, or met something that hinders it."""


class HubStarted(Event, frozen=True, kw_only=True):
    """The hub is up."""

    @property
    def sentence(self) -> str:
        return "the hub is up"


class HubUpdated(Event, frozen=True, kw_only=True):
    """The hub is another version than before."""

    before: str
    now: str

    @property
    def sentence(self) -> str:
        return f"Hombi is {self.now} now; it was {self.before}"


class HubStopped(Event, frozen=True, kw_only=True):
    """The hub was told to stop."""

    @property
    def sentence(self) -> str:
        return "the hub was stopped"


class ClockSet(Event, frozen=True, kw_only=True):
    """The machine's clock was set."""

    by_ms: int

    @property
    def sentence(self) -> str:
        way = "forward" if self.by_ms > 0 else "back"
        seconds = abs(self.by_ms) / 1000
        return (
            f"the machine's clock was set {way} by {seconds:.0f} s; waiting times are counted again"
        )


class DatesPutRight(Event, frozen=True, kw_only=True):
    """What came in while the machine's clock was wrong is dated right."""

    count: int
    by_ms: int

    @property
    def sentence(self) -> str:
        return (
            f"the clock is right now: {self.count} readings that came before are dated "
            f"{self.by_ms / 1000:.0f} s later"
        )


class SettingsTakenUp(Quiet, frozen=True, kw_only=True):
    """Settings of `hombi.toml` hold from now on."""


class SettingsChanged(Event, frozen=True, kw_only=True):
    """`hombi.toml` was read again: the keys that are others, and those of them that
    need a restart."""

    keys: tuple[str, ...]
    waiting: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        later = f"; restart the hub for {', '.join(self.waiting)}"
        return (
            f"new settings from hombi.toml: {', '.join(self.keys)}{later if self.waiting else ''}"
        )


class SettingsRefused(Event, frozen=True, kw_only=True):
    """`hombi.toml` has a mistake."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"hombi.toml contains a mistake and was ignored: {self.problem}"
