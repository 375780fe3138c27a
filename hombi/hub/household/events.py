"""What is said of who is home."""

from __future__ import annotations

from hombi.hub.kernel.events import Event
from hombi.hub.readings.events import EntitiesChanged


class PersonKept(EntitiesChanged, frozen=True, kw_only=True):
    """From now on it is kept whether somebody is home."""

    person: str

    @property
    def sentence(self) -> str:
        return f"whether {self.person} is home is kept from now on"


class StateKept(EntitiesChanged, frozen=True, kw_only=True):
    """From now on it is kept how the hub is in one respect."""

    @property
    def sentence(self) -> str:
        return f"{self.entity} is kept from now on"


class PersonSaid(Event, frozen=True, kw_only=True):
    """Somebody said whether a person is home."""

    person: str
    home: bool

    @property
    def sentence(self) -> str:
        return f"{self.person} is {'home' if self.home else 'away'}"


class PersonFollows(Event, frozen=True, kw_only=True):
    """Other values tell whether somebody is home."""

    person: str
    follows: str

    @property
    def sentence(self) -> str:
        sentence = f"by {self.follows}" if self.follows else "by their own word alone"
        return f"whether {self.person} is home is told {sentence}"


class PersonInvited(Event, frozen=True, kw_only=True):
    """Somebody may join the house."""

    role: str

    @property
    def sentence(self) -> str:
        return f"an invitation was made for {_AS[self.role]}"


class InvitationRevoked(Event, frozen=True, kw_only=True):
    """An invitation, or a link for a new password of `person`, is void."""

    role: str
    person: str

    @property
    def sentence(self) -> str:
        if self.person:
            return f"a link with which {self.person} sets a new password was revoked"
        return f"an invitation for {_AS[self.role]} was revoked"


class PersonJoined(Event, frozen=True, kw_only=True):
    """Somebody joined the house."""

    person: str
    role: str

    @property
    def sentence(self) -> str:
        return f"{self.person} joined the house as {_AS[self.role]}"


class PersonChanged(Event, frozen=True, kw_only=True):
    """Somebody is something else in the house than before, or sees other rooms."""

    person: str
    role: str

    @property
    def sentence(self) -> str:
        return f"{self.person} is {_AS[self.role]} from now on"


class PersonRemoved(Event, frozen=True, kw_only=True):
    """Somebody is of the household no more."""

    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} was removed from the house"


class PasswordForgotten(Event, frozen=True, kw_only=True):
    """Somebody was given a code to set another password with."""

    person: str

    @property
    def sentence(self) -> str:
        return f"a code was made with which {self.person} sets another password"


class PasswordChanged(Event, frozen=True, kw_only=True):
    """Somebody has another password."""

    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} has another password; where they had signed in, they must again"


class SecondFactorChanged(Event, frozen=True, kw_only=True):
    """Somebody signs in with a second factor, or no longer."""

    person: str
    how: str

    @property
    def sentence(self) -> str:
        return f"{self.person} {self.how} a second factor"


_AS = {"owner": "an owner", "adult": "an adult", "guest": "a guest", "wall": "a wall"}


class BrowserSignedOut(Event, frozen=True, kw_only=True):
    """A browser was signed out from elsewhere."""

    browser: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.browser} of {self.person} was signed out"


class FirstSignedIn(Event, frozen=True, kw_only=True):
    """Somebody made the hub theirs."""

    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} signed in first, and owns this hub"


class TokenMade(Event, frozen=True, kw_only=True):
    """A program was signed in."""

    program: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.program} signed in as {self.person}"


class TokenRevoked(Event, frozen=True, kw_only=True):
    """A program must sign in again."""

    program: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.program} of {self.person} was signed out"
