"""The browsers that somebody is signed in with: a session each."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass

from django.contrib.auth import SESSION_KEY, login
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from hombi.hub.errors import NotFound
from hombi.hub.household.events import BrowserSignedOut
from hombi.hub.kernel import Actor, Change, Done, Right, Role
from hombi.service.accounts.changes import Accounts
from hombi.service.accounts.sessions import hashed
from hombi.service.accounts.standing import Standing
from hombi.service.bridge import written

_NAME, _SINCE = "browser", "since_ms"
# The marks of a User-Agent header (RFC 9110, 10.1.5), the rarer ones first.
_PROGRAMS = (
    ("Edg", "Edge"), ("OPR/", "Opera"), ("SamsungBrowser", "Samsung Internet"),
    ("Firefox", "Firefox"), ("FxiOS", "Firefox"), ("Chrome", "Chrome"), ("CriOS", "Chrome"),
    ("Safari", "Safari"),
)  # fmt: skip
_SYSTEMS = (
    ("iPhone", "an iPhone"), ("iPad", "an iPad"), ("Android", "Android"), ("Windows", "Windows"),
    ("Macintosh", "a Mac"), ("CrOS", "a Chromebook"), ("Linux", "Linux"),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Browser:
    """One of them; its id is the hash under which its session is kept. `since_ms` is 0
    where that was not kept."""

    id: str
    person: str
    name: str
    since_ms: int


def described(agent: str) -> str:
    """A browser as people call it, by its User-Agent header."""
    program = next((name for mark, name in _PROGRAMS if mark in agent), "a browser")
    system = next((name for mark, name in _SYSTEMS if mark in agent), "")
    return f"{program} on {system}" if system else program


def sign_in(request: HttpRequest, user: User) -> None:
    """Sign a browser in, and keep which it is, and since when."""
    written(login, request, user)
    request.session[_NAME] = described(request.headers.get("User-Agent", ""))
    request.session[_SINCE] = time.time_ns() // 1_000_000


def browser_of(request: HttpRequest) -> str:
    """The id of the browser that asks; "" for a program."""
    return hashed(request.session.session_key) or ""


def browsers(actor: Actor) -> Iterator[Browser]:
    """Those of a person, of everybody for an owner; the newest first. The sessions of a
    house are few."""
    people = {str(user.pk): user.username for user in User.objects.all()}
    result = []
    for row in Session.objects.filter(expire_date__gt=timezone.now()):
        kept = row.get_decoded()
        person = people.get(str(kept.get(SESSION_KEY, "")), "")
        if person and (actor.role is Role.OWNER or person == actor.name):
            name, since = str(kept.get(_NAME, "a browser")), int(kept.get(_SINCE, 0))
            result.append(Browser(row.session_key, person, name, since))
    yield from sorted(result, key=lambda one: one.since_ms, reverse=True)


class SignBrowserOut(Change[Accounts, None], frozen=True):
    """End what a browser was signed in for: one's own, or any for an owner. Raises
    NotFound."""

    browser: str

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[None]:
        ended = await feature.context.thread.run(self._end, by)
        Standing.changed(ended.person)
        return Done(None, BrowserSignedOut(browser=ended.name, person=ended.person))

    def _end(self, by: Actor) -> Browser:
        for browser in browsers(by):
            if browser.id == self.browser:
                Session.objects.filter(session_key=browser.id).delete()
                return browser
        raise NotFound("this browser is not signed in any more")
