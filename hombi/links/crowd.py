"""Who is connected at one of the hub's doors, and who has to go when it gets crowded.

A stranger is a connection that has not shown who it is. At a bound (for one address, or
for all strangers) the stranger that has been idle longest goes, to let the new one in;
so whoever opens a thousand connections pushes out itself. Half of all places are kept
for those who have shown who they are, and an eighth of all for the house's owners and
the hub's own machine. An account has a bound of its own: its idle connections go first,
and beyond that its newest, so that no account takes the places of another.
"""

from __future__ import annotations

import resource
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Protocol

AN_ADDRESS = 256
# A browser opens six connections to one hub: so many devices of one person fit.
AN_ACCOUNT = 64
# Of the files that the process may have open: what one door's connections may take at
# most.
SHARE = 0.4
FEWEST, MOST = 64, 4_000
WANTED_FILES = 65_536


class Guest(Protocol):
    """One connection."""

    @property
    def busy(self) -> bool:
        """Whether the hub is working for it just now."""

    def turn_out(self) -> None:
        """Close the connection at once."""


def raise_open_files() -> int:
    """Raise this process's own limit of open files as far as it may; the limit."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = WANTED_FILES if hard == resource.RLIM_INFINITY else min(hard, WANTED_FILES)
    if wanted > soft:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
    return max(soft, wanted)


def places() -> int:
    """How many connections one door may have, by the limit of open files."""
    soft, _ = resource.getrlimit(resource.RLIMIT_NOFILE)
    return max(FEWEST, min(MOST, int(soft * SHARE)))


@dataclass
class Crowd:
    """The connections at one door."""

    places: int = field(default_factory=places)
    an_address: int = AN_ADDRESS
    _strangers: dict[Guest, str] = field(default_factory=dict)
    _by_address: dict[str, dict[Guest, None]] = field(default_factory=dict)
    # By account, those that were idle longest first.
    _known: dict[str, dict[Guest, None]] = field(default_factory=dict)
    _account_of: dict[Guest, str] = field(default_factory=dict)
    _kept: set[Guest] = field(default_factory=set)

    def __len__(self) -> int:
        return len(self._strangers) + len(self._account_of)

    def enter(self, guest: Guest, address: str) -> bool:
        """Let a new connection in; False when there is no room for it."""
        beside = self._by_address.get(address, {})
        crowded = len(beside) >= min(self.an_address, self.places // 2)
        if crowded and not self._make_room(beside):
            return False
        if len(self._strangers) >= self.places // 2 and not self._make_room(self._strangers):
            return False
        self._strangers[guest] = address
        self._by_address.setdefault(address, {})[guest] = None
        return True

    def recognised(self, guest: Guest, account: str, *, kept: bool = False) -> None:
        """This connection has shown whose it is. `kept` is for those who have places
        kept: the owners, and the hub's own machine."""
        if not self._forget(guest) and guest not in self._account_of:
            return  # it was turned out meanwhile
        self._forget_account(guest)
        beside = self._known.get(account, {})
        bound = self.places // 8 if kept else self.places * 3 // 8
        among = len(self._kept) if kept else len(self._account_of) - len(self._kept)
        if len(beside) >= min(AN_ACCOUNT, bound) and not self._make_room(beside):
            guest.turn_out()
            return
        if among >= bound:  # nobody who is known makes room for another account
            guest.turn_out()
            return
        self._known.setdefault(account, {})[guest] = None
        self._account_of[guest] = account
        if kept:
            self._kept.add(guest)

    def active(self, guest: Guest) -> None:
        """It did something: of those beside it, it is the last to go."""
        if (address := self._strangers.pop(guest, None)) is not None:
            self._strangers[guest] = address
            beside = self._by_address[address]
            del beside[guest]
            beside[guest] = None
        elif (account := self._account_of.get(guest)) is not None:
            del self._known[account][guest]
            self._known[account][guest] = None

    def leave(self, guest: Guest) -> None:
        """Its connection has ended."""
        self._forget(guest)
        self._forget_account(guest)

    def _make_room(self, among: Iterable[Guest]) -> bool:
        idle = next((guest for guest in among if not guest.busy), None)
        if idle is None:
            return False
        self.leave(idle)
        idle.turn_out()
        return True

    def _forget_account(self, guest: Guest) -> None:
        account = self._account_of.pop(guest, None)
        if account is None:
            return
        self._kept.discard(guest)
        beside = self._known[account]
        del beside[guest]
        if not beside:
            del self._known[account]

    def _forget(self, guest: Guest) -> bool:
        address = self._strangers.pop(guest, None)
        if address is None:
            return False
        beside = self._by_address[address]
        del beside[guest]
        if not beside:
            del self._by_address[address]
        return True
