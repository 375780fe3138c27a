"""What becomes of notices, and of the phones that take them."""

from __future__ import annotations

from hombi.hub.kernel.events import Event, Quiet
from hombi.hub.notices.port import DeliveryRecord


class PhonesChanged(Event, frozen=True, kw_only=True):
    """There are other phones than before."""

    phone: int
    title: str
    person: str


class PhoneAdded(PhonesChanged, frozen=True, kw_only=True):
    """A phone takes notices."""

    @property
    def sentence(self) -> str:
        return f"{self.title} of {self.person} now gets notifications"


class PhoneRemoved(PhonesChanged, frozen=True, kw_only=True):
    """A phone takes no notices any more."""

    why: str = ""

    @property
    def sentence(self) -> str:
        because = f": {self.why}" if self.why else ""
        return f"{self.title} of {self.person} was removed{because}"


class PhoneTested(Event, frozen=True, kw_only=True):
    """Somebody sent a phone a notice to try it."""

    title: str
    person: str

    @property
    def sentence(self) -> str:
        return f"a test notice was sent to {self.title} of {self.person}"


class NoticeDelivered(Event, frozen=True, kw_only=True):
    """A notice is on a phone."""

    title: str
    phone: str
    person: str

    @property
    def sentence(self) -> str:
        return f"“{self.title}” reached {self.phone} of {self.person}"


class NoticeDelayed(Event, frozen=True, kw_only=True):
    """A notice could not be brought yet; it is tried again."""

    title: str
    phone: str
    problem: str

    @property
    def sentence(self) -> str:
        return (
            f"“{self.title}” did not reach {self.phone} yet and will be sent again: {self.problem}"
        )


class NoticeFailed(Event, frozen=True, kw_only=True):
    """A notice did not reach a phone."""

    title: str
    phone: str
    problem: str

    @property
    def sentence(self) -> str:
        return f"“{self.title}” did not reach {self.phone}: {self.problem}"


class NoticeUnsent(Event, frozen=True, kw_only=True):
    """A notice had nobody to go to."""

    title: str
    to: str

    @property
    def sentence(self) -> str:
        return (
            f"“{self.title}” reached nobody: there is no contact of {self.to}; add a phone "
            f"or a mail address on the page Notices"
        )


class NoticesSummedUp(Event, frozen=True, kw_only=True):
    """Several notices that could not be brought were told in one."""

    count: int
    phone: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.count} notices for {self.phone} of {self.person} were told in one"


class ButtonPressed(Event, frozen=True, kw_only=True):
    """Somebody pressed a button of a notice."""

    title: str
    button: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} pressed “{self.button}” on the notice “{self.title}”"


class QuietHoursSet(Event, frozen=True, kw_only=True):
    """Somebody is left in peace at certain hours."""

    person: str
    hours: str

    @property
    def sentence(self) -> str:
        if not self.hours:
            return f"{self.person} has no quiet hours"
        return f"{self.person} is told only what is urgent at {self.hours}"


class NoticeChanged(Quiet, frozen=True, kw_only=True):
    """A delivery is further than before."""

    delivery: DeliveryRecord
