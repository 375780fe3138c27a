"""What becomes of notices, and of the phones that take them."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.hub.kernel.events import Event, Quiet
from hombi.hub.ports import DeliveryRecord


@dataclass(frozen=True, slots=True, kw_only=True)
class PhonesChanged(Event):
    """There are other phones than before."""

    phone: int
    title: str
    person: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PhoneAdded(PhonesChanged):
    """A phone takes notices."""

    @property
    def sentence(self) -> str:
        return f"{self.title} of {self.person} now gets notifications"


@dataclass(frozen=True, slots=True, kw_only=True)
class PhoneRemoved(PhonesChanged):
    """A phone takes no notices any more."""

    why: str = ""

    @property
    def sentence(self) -> str:
        because = f": {self.why}" if self.why else ""
        return f"{self.title} of {self.person} was removed{because}"


@dataclass(frozen=True, slots=True, kw_only=True)
class PhoneTested(Event):
    """Somebody sent a phone a notice to try it."""

    title: str
    person: str

    @property
    def sentence(self) -> str:
        return f"a test notice was sent to {self.title} of {self.person}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticeDelivered(Event):
    """A notice is on a phone."""

    title: str
    phone: str
    person: str

    @property
    def sentence(self) -> str:
        return f"“{self.title}” reached {self.phone} of {self.person}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticeDelayed(Event):
    """A notice could not be brought yet; it is tried again."""

    title: str
    phone: str
    problem: str

    @property
    def sentence(self) -> str:
        return (
            f"“{self.title}” did not reach {self.phone} yet and will be sent again: {self.problem}"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticeFailed(Event):
    """A notice did not reach a phone."""

    title: str
    phone: str
    problem: str

    @property
    def sentence(self) -> str:
        return f"“{self.title}” did not reach {self.phone}: {self.problem}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticeUnsent(Event):
    """A notice had nobody to go to."""

    title: str
    to: str

    @property
    def sentence(self) -> str:
        return (
            f"“{self.title}” reached nobody: there is no way to reach {self.to}; add a phone "
            f"or a mail address on the page Notices"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticesSummedUp(Event):
    """Several notices that could not be brought were told in one."""

    count: int
    phone: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.count} notices for {self.phone} of {self.person} were told in one"


@dataclass(frozen=True, slots=True, kw_only=True)
class ButtonPressed(Event):
    """Somebody pressed a button of a notice."""

    title: str
    button: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} pressed “{self.button}” on the notice “{self.title}”"


@dataclass(frozen=True, slots=True, kw_only=True)
class QuietHoursSet(Event):
    """Somebody is left in peace at certain hours."""

    person: str
    hours: str

    @property
    def sentence(self) -> str:
        if not self.hours:
            return f"{self.person} has no quiet hours"
        return f"{self.person} is told only what is urgent at {self.hours}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticeChanged(Quiet):
    """A delivery is further than before."""

    delivery: DeliveryRecord
