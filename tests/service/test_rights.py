"""People and their rights: every call of the API by every role, against what the policy
says; invitations, passwords, tokens with limits."""

from __future__ import annotations

import hashlib
import json
import re
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import pyotp
import pytest

from hombi.client import Conflict, Hub, HubProblem, Missing, NotAllowed, NotSignedIn, Wrong
from tests.house import CLIMATE, OWNER, PASSWORD, PLUG, Joined, Service, description, let_in

ROLES = ("owner", "adult", "guest", "wall")
# What a guest and a wall may ask: of everything else they are told that they may not.
GUESTS = {
    ("get", "/api/session"), ("delete", "/api/session"), ("get", "/api/house"),
    ("get", "/api/rooms"), ("get", "/api/entities"), ("get", "/api/entities/{name}"),
    ("get", "/api/entities/{node}/{name}"), ("get", "/api/courses"),
    ("get", "/api/entities/{node}/{name}/history"), ("get", "/api/live"),
    ("get", "/api/entities/{node}/{name}/numbers"), ("get", "/api/dashboards"),
    ("get", "/api/entities/{node}/{name}/stretches"), ("get", "/api/dashboards/{dashboard}"),
    ("get", "/api/entities/{node}/{name}/rows"),
    ("get", "/api/dashboards/{dashboard}/pictures/{tile}"),
    ("post", "/api/entities/{node}/{name}/command"),
}  # fmt: skip
OWN = {
    ("get", "/api/tokens"), ("delete", "/api/tokens"), ("delete", "/api/tokens/{token}"),
    ("get", "/api/browsers"), ("delete", "/api/browsers/{browser}"),
    ("put", "/api/session/password"), ("post", "/api/session/second"),
    ("put", "/api/session/second"), ("post", "/api/session/second/remove"),
}  # fmt: skip
# What only an owner may.
KEPT = {
    ("get", "/api/people"), ("put", "/api/people/{person}"), ("delete", "/api/people/{person}"),
    ("post", "/api/people/{person}/reset"), ("post", "/api/invitations"),
    ("get", "/api/mqtt-accounts"),
    ("get", "/api/invitations"), ("delete", "/api/invitations/{number}"),
}  # fmt: skip
# Changes that need the right to look after the hub: an adult is refused by the change.
CHANGES = {
    ("post", "/api/backup"), ("delete", "/api/mqtt-accounts/{account}"),
    ("post", "/api/mqtt-accounts/{account}/key"),
    ("patch", "/api/mqtt-accounts/{account}"),
    ("post", "/api/nodes/{node}/key"), ("delete", "/api/nodes/{node}/key"),
}  # fmt: skip
# Nobody need be signed in for these, or a node asks them.
OPEN = {
    "/api/health", "/api/health/ready", "/api/first-sign-in", "/api/join", "/api/trust",
    "/api/notices/press", "/api/notices/pictures/{right}",
    "/api/notices/sounds/{right}",
    "/api/intake", "/api/intake/{node}/{name}",
    "/api/arrivals/{arrival}/outcome", "/api/schema", "/api/docs",
}  # fmt: skip
GIVEN = {
    "{node}": "cellar-rack", "{name}": "humidity", "{dashboard}": "room-loft", "{tile}": "0",
    "{person}": "nobody", "{token}": "9999", "{browser}": "none",
    "{account}": "none", "{contact}": "9999", "{number}": "1", "{right}": "1.picture.x",
}  # fmt: skip


@pytest.fixture(scope="module")
def people(service: Service) -> dict[str, str]:
    """A token for somebody of each role. The guest sees the loft, the wall what is in
    the cellar's switch tile."""
    let_in(service, description("Cellar rack", **CLIMATE))
    let_in(service, description("Loft lamp", **PLUG), room="Loft")
    with service.hub() as hub:
        hub.dashboards.add("Hall", [{"sort": "value", "of": ["loft-lamp/switch"]}])
        codes = {
            "adult": hub.people.invite("adult").code,
            "guest": hub.people.invite("guest", rooms=["Loft"]).code,
            "wall": hub.people.invite("wall", dashboard="hall").code,
        }
    tokens = {"owner": service.token}
    for role, code in codes.items():
        with Hub(service.url) as hub:
            assert hub.people.join(code, f"the-{role}", PASSWORD).role == role
            if role != "wall":
                tokens[role] = hub.sign_in(f"the-{role}", PASSWORD).token
    # A wall signs in by its session alone.
    with service.hub() as hub:
        again = hub.people.invite("wall", dashboard="hall").code
    browser = httpx.Client(base_url=service.url)
    browser.post("/api/join", json={"code": again, "username": "hall-wall"})
    tokens["wall"] = browser.cookies["sessionid"]
    return tokens


def asked(service: Service, people: dict[str, str], role: str, method: str, path: str) -> int:
    """The status of a call by somebody of this role."""
    for word, given in GIVEN.items():
        # An adult may take things out of the house: they name what is not there.
        path = path.replace(word, "none" if role == "adult" and word == "{node}" else given)
    path = re.sub(r"{\w+}", "none", path)
    more: dict[str, Any] = {} if method in ("get", "delete") else {"json": {}}
    with httpx.Client(base_url=service.url, timeout=20) as client:
        if role == "wall":
            client.cookies.set("sessionid", people["wall"])
            client.get("/api/session")
            more["headers"] = {"X-CSRFToken": client.cookies.get("csrftoken", "")}
        else:
            client.headers["Authorization"] = f"Bearer {people[role]}"
        with client.stream(method.upper(), path, **more) as answer:
            return answer.status_code


def test_every_call_by_every_role_is_what_the_policy_says(
    service: Service, people: dict[str, str]
) -> None:
    paths = httpx.get(f"{service.url}/api/schema", headers={"Accept": "application/json"}).json()[
        "paths"
    ]
    wrong = []
    for path, methods in paths.items():
        for method in methods:
            if path in OPEN or (method, path) in (
                ("post", "/api/session"), ("post", "/api/tokens"), ("post", "/api/arrivals"),
                # They would end what the others are asked with.
                ("delete", "/api/session"), ("delete", "/api/tokens"),
            ):  # fmt: skip
                continue
            for role in ("adult", "guest", "wall"):
                status = asked(service, people, role, method, path)
                which = (method, path)
                if role == "adult":
                    refused = which in KEPT | CHANGES
                    fine = (status in (403, 404)) if refused else (status != 403 or which in _MIXED)
                else:
                    allowed = which in GUESTS or (role == "guest" and which in OWN)
                    fine = status != 403 if allowed else status in (403, 415)
                if not fine or status >= 500:
                    wrong.append((role, method, path, status))
    assert not wrong, "\n".join(map(str, wrong))


# Refused to adults by the change, where the body is right.
_MIXED: set[tuple[str, str]] = {("post", "/api/first-sign-in/code"), ("post", "/api/mqtt-accounts")}


def bearer(people: dict[str, str], role: str) -> dict[str, str]:
    return {"Authorization": f"Bearer {people[role]}"}


def test_what_is_not_a_guests_is_not_there(service: Service, people: dict[str, str]) -> None:
    with Hub(service.url, people["guest"]) as guest:
        assert {one.entity for one in guest.entities.list()} == {
            "loft-lamp/switch", "loft-lamp/power",
        }  # fmt: skip
        assert [room.name for floor in guest.house().floors for room in floor.rooms] == ["Loft"]
        assert guest.house().needs == []
        for address in ("cellar-rack/humidity", "no/such"):
            with pytest.raises(Missing):
                guest.entities.get(address)
            with pytest.raises(Missing):
                guest.entities.history(address)
            with pytest.raises(Missing):
                guest.entities.set(address, "on")
        with pytest.raises(Missing):
            guest.entities.get("Cellar rack humidity")
        answer = httpx.get(
            f"{service.url}/api/courses?entity=loft-lamp/power&entity=cellar-rack/humidity",
            headers=bearer(people, "guest"),
        )
        assert answer.status_code == 404
        with pytest.raises(NotAllowed, match="may not see the whole house"):
            guest.nodes.list()
        assert guest.entities.set("loft-lamp/switch", "on").state != "confirmed"
    listed = list(service.hub().journal(event="CommandFailed"))
    assert listed[0].by == "the-guest"


def test_the_live_stream_tells_a_guest_of_their_rooms_only(
    service: Service, people: dict[str, str]
) -> None:
    unknown = httpx.get(f"{service.url}/api/live", headers={"Authorization": "Bearer nobody"})
    assert unknown.status_code == 401
    lamp = _key(service, "loft-lamp")
    rack = _key(service, "cellar-rack")
    told = ""
    with httpx.stream(
        "GET", f"{service.url}/api/live", headers=bearer(people, "guest"), timeout=30
    ) as stream:
        lines = stream.iter_lines()
        next(lines)
        rack.post([{"n": "humidity", "v": 71.25}])
        lamp.post([{"n": "power", "v": 12.75}])
        for line in lines:
            told += line
            if "12.75" in line:
                break
    assert "cellar-rack" not in told
    assert "71.25" not in told


def _key(service: Service, node: str) -> Joined:
    with service.hub() as hub:
        key = hub.nodes.new_key(node).key
    return Joined(service, node, key, {})


def test_a_wall_shows_its_page_and_nothing_else(service: Service, people: dict[str, str]) -> None:
    with httpx.Client(base_url=service.url, cookies={"sessionid": people["wall"]}) as wall:
        assert wall.get("/api/session").json()["dashboard"] == "hall"
        assert [one["entity"] for one in wall.get("/api/entities").json()] == ["loft-lamp/switch"]
        assert [one["dashboard"] for one in wall.get("/api/dashboards").json()] == ["hall"]
        token = {"X-CSRFToken": wall.cookies["csrftoken"]}
        path = "/api/entities/loft-lamp/switch/command"
        assert wall.post(path, json={"to": "off"}, headers=token).status_code != 403
        with service.hub() as hub:
            hub.people.change("hall-wall", "wall", dashboard="hall", switches=False)
        assert wall.post(path, json={"to": "off"}, headers=token).status_code == 403
        with service.hub() as hub:
            hub.people.change("hall-wall", "wall", dashboard="hall")


def test_an_invitation_is_used_once_and_ends(own_service: Service) -> None:
    own_service.start().sign_in_first()
    with own_service.hub() as hub, Hub(own_service.url) as stranger:
        made = hub.people.invite("adult")
        assert made.address.startswith(f"http://127.0.0.1:{own_service.port}/join?code=")
        look = httpx.get(f"{own_service.url}/api/join", params={"code": made.code}).json()
        assert look == {"house": "Test house", "role": "adult", "person": ""}
        with pytest.raises(Wrong, match="too short"):
            stranger.people.join(made.code, "ben", "short")
        with pytest.raises(Wrong, match="somebody here is called"):
            stranger.people.join(made.code, OWNER.upper(), PASSWORD)
        assert stranger.people.join(made.code, "ben", PASSWORD).username == "ben"
        with pytest.raises(Conflict, match="was used, or is too old"):
            stranger.people.join(made.code, "eve", PASSWORD)
        with pytest.raises(Conflict):
            stranger.people.join("made-up", "eve", PASSWORD)
        assert "ben" in [one.person for one in hub.presence.list()]
        with pytest.raises(Wrong, match="name one at least"):
            hub.people.invite("guest")
        with pytest.raises(Missing):
            hub.people.invite("guest", rooms=["Nowhere"])
        with pytest.raises(Conflict, match="only owner"):
            hub.people.change(OWNER, "adult")
        with pytest.raises(Conflict, match="only owner"):
            hub.people.remove(OWNER)
        # A second owner may take the first one's place.
        hub.people.change("ben", "owner")
        with Hub(own_service.url) as ben:
            ben.sign_in("ben", PASSWORD)
            way = ben.contacts.add("mail", "ben@mill.example", "mail")
            assert way.person == "ben"
            hub.people.remove("ben")
            with pytest.raises(NotSignedIn):
                ben.house()
        assert hub.contacts.list() == []
    own_service.stop()


def test_what_somebody_had_open_ends_when_they_may_no_more(own_service: Service) -> None:
    own_service.start().sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE), room="Cellar")
    fresh = "a heron stands in the race"
    with own_service.hub() as hub, Hub(own_service.url) as ben, Hub(own_service.url) as again:
        ben.people.join(hub.people.invite("adult").code, "ben", PASSWORD)
        again.sign_in("ben", PASSWORD)
        token = ben.sign_in("ben", PASSWORD).token
        ben.contacts.add("mail", "ben@mill.example", "mail")

        def ended(token: str, how: Callable[[], object]) -> None:
            """Both of the streams, and they told nothing of what came after."""
            urls = [f"{own_service.url}/api/{one}" for one in ("live", "messages/live")]
            entered = {"Authorization": f"Bearer {token}"}
            with (
                httpx.stream("GET", urls[0], headers=entered, timeout=40) as live,
                httpx.stream("GET", urls[1], headers=entered, timeout=40) as messages,
            ):
                lines = live.iter_lines(), messages.iter_lines()
                assert [next(one) for one in lines] == ["retry: 1000"] * 2
                how()
                assert rack.post([{"n": "humidity", "v": 61.25}]).is_success
                assert not any("61.25" in line for one in lines for line in one)

        def revoke() -> None:
            (of_ben,) = (one for one in again.tokens.list() if not one.this_one)
            again.tokens.revoke(of_ben.id)

        ended(token, revoke)
        with pytest.raises(NotSignedIn):
            ben.house()
        token = ben.sign_in("ben", PASSWORD).token
        ended(token, lambda: again.people.password(PASSWORD, fresh))
        assert again.house().name == "Test house", "who changed it stays"
        with pytest.raises(NotSignedIn):
            ben.house()
        token = ben.sign_in("ben", fresh).token
        assert [one.person for one in hub.contacts.list()] == ["ben"]
        ended(token, lambda: hub.people.change("ben", "guest", rooms=["Cellar"]))
        assert hub.contacts.list() == [], "a guest is told nothing"
        assert [one.room for one in ben.rooms.list()] == ["cellar"]
        hub.people.change("ben", "adult")
        ended(token, lambda: hub.people.remove("ben"))
    own_service.stop()


def test_a_stream_ends_with_its_token(service: Service) -> None:
    """One of three seconds is made in the database: programs are given days."""
    made, late = "made here", int((time.time() + 3) * 1000)
    entered = {"Authorization": f"Bearer {made}"}
    with sqlite3.connect(service.data / "hub.sqlite3", timeout=20) as database:
        database.execute(
            'INSERT INTO accounts_accesstoken (name, hash, created_at, user_id, "limit", ends_ms) '
            "VALUES ('short', ?, datetime('now'), 1, 'change', ?)",
            (hashlib.sha256(made.encode()).hexdigest(), late),
        )
    with httpx.stream("GET", f"{service.url}/api/live", headers=entered, timeout=40) as stream:
        assert stream.status_code == 200
        for _ in stream.iter_lines():
            pass
    assert time.time() * 1000 >= late


def test_a_password_is_changed_forgotten_and_set_anew(own_service: Service) -> None:
    own_service.start().sign_in_first()
    fresh = "a heron stands in the race"
    with Hub(own_service.url) as ada, Hub(own_service.url) as elsewhere:
        ada.sign_in(OWNER, PASSWORD)
        browser = httpx.Client(base_url=own_service.url)
        browser.post("/api/session", json={"username": OWNER, "password": PASSWORD})
        assert browser.get("/api/house").status_code == 200
        with pytest.raises(Conflict, match="old password"):
            ada.people.password("wrong", fresh)
        ada.people.password(PASSWORD, fresh)
        assert browser.get("/api/house").status_code == 401, "signed out everywhere else"
        with pytest.raises(NotSignedIn):
            elsewhere.sign_in(OWNER, PASSWORD)
        elsewhere.sign_in(OWNER, fresh)
    # Nobody knows it any more: on the hub's own machine.
    said = own_service.hombi("member", "reset", OWNER, "--json")
    assert said.returncode == 0, said.stderr
    code = re.search(r"code=([\w-]+)", said.stdout)
    assert code is not None
    with Hub(own_service.url) as hub:
        look = httpx.get(f"{own_service.url}/api/join", params={"code": code[1]}).json()
        assert look["person"] == OWNER
        assert hub.people.join(code[1], password=PASSWORD).username == OWNER
        hub.sign_in(OWNER, PASSWORD)
        assert hub.house().name == "Test house"
    own_service.stop()


def test_a_second_factor_is_asked_for_and_each_code_counts_once(own_service: Service) -> None:
    own_service.start().sign_in_first()
    with Hub(own_service.url) as ada, Hub(own_service.url) as thief:
        ada.sign_in(OWNER, PASSWORD)
        with pytest.raises(Conflict, match="password is another"):
            ada.people.begin_second("wrong")
        secret = ada.people.begin_second(PASSWORD).secret
        thief.sign_in(OWNER, PASSWORD)  # one that was only begun counts for nothing
        with pytest.raises(Conflict, match="does not fit"):
            ada.people.confirm_second("000000")
        app = pyotp.TOTP(secret)
        now = int(time.time())
        recovery = ada.people.confirm_second(app.at(now)).codes
        assert len(set(recovery)) == 10
        for code in ("", "000000", app.at(now), "abcde-fghjk"):
            with pytest.raises(NotSignedIn, match=r"second factor|does not fit"):
                thief.sign_in(OWNER, PASSWORD, code=code)
        fresh = app.at(now + 30)
        assert thief.sign_in(OWNER, PASSWORD, code=fresh).username == OWNER
        with pytest.raises(NotSignedIn):
            thief.sign_in(OWNER, PASSWORD, code=fresh)
    own_service.stop()
    # It is sealed at rest, and a restart begins the count of tries anew.
    assert secret.encode() not in (own_service.data / "hub.sqlite3").read_bytes()
    own_service.start()
    with Hub(own_service.url) as ada:
        assert ada.sign_in(OWNER, PASSWORD, code=recovery[0]).username == OWNER
        with pytest.raises(NotSignedIn):
            ada.sign_in(OWNER, PASSWORD, code=recovery[0])
        signed = own_service.hombi(
            "sign-in", "--hub", f"127.0.0.1:{own_service.port}", "--username", OWNER,
            "--password", PASSWORD, stdin=f"{recovery[1]}\n",
        )  # fmt: skip
        assert signed.returncode == 0, signed.stderr
        ada.sign_in(OWNER, PASSWORD, code=recovery[2])
        ada.people.remove_second(PASSWORD)
        ada.sign_in(OWNER, PASSWORD)
    own_service.stop()


def test_a_token_does_no_more_than_it_was_made_for(service: Service) -> None:
    with Hub(service.url) as reader, Hub(service.url) as switcher:
        reader.sign_in(OWNER, PASSWORD, "clock", limit="read", days=1)
        switcher.sign_in(OWNER, PASSWORD, "remote", limit="switch")
        assert reader.house().name == switcher.house().name == "Test house"
        with pytest.raises(NotAllowed):
            reader.entities.set("loft-lamp/switch", "on")
        for one in (reader, switcher):
            for forbidden in (
                lambda h=one: h.floors.add("Attic"),
                lambda h=one: h.people.invite("owner"),
                lambda h=one: next(h.backup()),
            ):
                with pytest.raises(HubProblem) as refused:
                    forbidden()
                assert isinstance(refused.value, NotAllowed)
        switcher.entities.set("loft-lamp/switch", "on")
    with service.hub() as hub:
        known = {one.name: one for one in hub.tokens.list()}
        assert (known["clock"].limit, known["remote"].limit) == ("read", "switch")
        assert known["clock"].ends_at is not None
        assert known["remote"].ends_at is None


def test_the_document_has_the_policy_as_it_is(service: Service) -> None:
    path = Path(__file__).parents[2] / "docs" / "rights.md"
    made = subprocess.run(
        [sys.executable, "-c",
         "import django, sys; django.setup(); from hombi.service.rights_doc import made; "
         "sys.stdout.write(made(open(sys.argv[1]).read()))", str(path)],
        env={**service.environment, "DJANGO_SETTINGS_MODULE": "hombi.service.settings"},
        capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip
    assert made == path.read_text(), "python -m hombi.service.rights_doc docs/rights.md"


@contextmanager
def _browser(service: Service, person: str, agent: str) -> Iterator[httpx.Client]:
    """A browser that somebody has signed in with."""
    with httpx.Client(base_url=service.url, headers={"User-Agent": agent}, timeout=30) as result:
        answer = result.post("/api/session", json={"username": person, "password": PASSWORD})
        assert answer.status_code == 200, answer.text
        yield result


IPHONE = "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) Version/18.0 Safari/604.1"
LINUX = "Mozilla/5.0 (X11; Linux x86_64; rv:145.0) Gecko/20100101 Firefox/145.0"


def test_a_browser_is_signed_out_from_elsewhere(own_service: Service) -> None:
    own_service.start().sign_in_first()
    with own_service.hub() as hub:
        hub.people.join(hub.people.invite("adult").code, "ben", PASSWORD)
        with (
            _browser(own_service, OWNER, LINUX) as desk,
            _browser(own_service, OWNER, IPHONE) as phone,
            _browser(own_service, "ben", "something else") as bens,
        ):
            seen = desk.get("/api/browsers").json()
            assert [(one["name"], one["username"], one["this_one"]) for one in seen] == [
                ("a browser", "ben", False),
                ("Safari on an iPhone", OWNER, False),
                ("Firefox on Linux", OWNER, True),
                ("a browser", "ben", False),
                ("a browser", OWNER, False),
            ]
            assert all(abs(one["since"] / 1000 - time.time()) < 60 for one in seen)
            own = bens.get("/api/browsers").json()
            assert {one["username"] for one in own} == {"ben"}, "others' are not theirs to see"
            assert [one["this_one"] for one in own] == [True, False], "they joined with another"
            of_phone = next(one["id"] for one in seen if "iPhone" in one["name"])
            with Hub(own_service.url) as ben:
                ben.sign_in("ben", PASSWORD)
                with pytest.raises(Missing):
                    ben.browsers.end(of_phone)
            assert phone.get("/api/house").status_code == 200
            assert own_service.hombi("browser", "list").stdout.count("Firefox on Linux") == 1
            missed = own_service.hombi("browser", "end", "nothing")
            assert missed.returncode == 1
            assert "no browser has an id that begins with nothing" in missed.stderr
            ended = own_service.hombi("browser", "end", of_phone[:8])
            assert "Safari on an iPhone of ada is signed out." in ended.stdout
            assert phone.get("/api/house").status_code == 401
            assert desk.get("/api/house").status_code == 200
            with pytest.raises(Missing):
                hub.browsers.end(of_phone)
        assert any("Safari on an iPhone of ada" in one.text for one in hub.journal())
    own_service.stop()


def test_invitations_are_listed_and_end_with_the_right_of_who_made_them(
    own_service: Service,
) -> None:
    own_service.start()
    own_service.sign_in_first()
    other = "ten-herons-in-the-reeds"

    def joined(code: str, name: str) -> Any:
        with Hub(own_service.url) as hub:
            return hub.people.join(code, name, PASSWORD)

    def try_again() -> None:
        """So many wrong codes in a minute are throttled, until the next start."""
        own_service.kill()
        own_service.start()

    with own_service.hub() as hub:
        second = hub.people.invite("owner").code
        joined(second, "ben")
        with Hub(own_service.url) as bens:
            bens.sign_in("ben", PASSWORD)
            for_owner = bens.people.invite("owner").code
            for_guest = bens.people.invite("adult").code
            reset = bens.people.reset(OWNER).code
        listed = hub.people.invitations()
        assert [(one.role, one.person, one.by) for one in listed] == [
            ("adult", OWNER, "ben"), ("adult", "", "ben"), ("owner", "", "ben"),
        ]  # fmt: skip
        assert "new password for ada" in own_service.hombi("member", "invitations").stdout
        hub.people.revoke(listed[1].number)
        with pytest.raises(HubProblem, match="used, or is too old"):
            joined(for_guest, "cleo")
        with pytest.raises(Missing):
            hub.people.revoke(listed[1].number)
        # Ben is not an owner any more: what he made is void, the way back included.
        hub.people.change("ben", "adult")
        assert hub.people.invitations() == []
        for code in (for_owner, reset):
            with pytest.raises(HubProblem, match="used, or is too old"):
                joined(code, "ben-again")
    try_again()
    with own_service.hub() as hub:
        # A link that is used leaves no sister alive, nor does a new password.
        first, sister = hub.people.reset("ben").code, hub.people.reset("ben").code
        with Hub(own_service.url) as bens:
            bens.people.join(first, password=other)
        with pytest.raises(HubProblem, match="used, or is too old"), Hub(own_service.url) as bens:
            bens.people.join(sister, password=PASSWORD)
        left = hub.people.reset("ben").code
        with Hub(own_service.url) as bens:
            bens.sign_in("ben", other)
            bens.people.password(other, PASSWORD)
        with pytest.raises(HubProblem, match="used, or is too old"), Hub(own_service.url) as bens:
            bens.people.join(left, password=other)
    try_again()
    with own_service.hub() as hub:
        # A removed owner's invitations go with them.
        hub.people.change("ben", "owner")
        with Hub(own_service.url) as bens:
            bens.sign_in("ben", PASSWORD)
            back = bens.people.invite("owner").code
        hub.people.remove("ben")
        with pytest.raises(HubProblem, match="used, or is too old"):
            joined(back, "ben")


def test_what_is_not_a_guests_is_in_no_error_of_theirs(
    service: Service, people: dict[str, str]
) -> None:
    """The guest sees the loft. A value of the same name is in the cellar."""
    let_in(service, description("Cellar plug", **PLUG))
    auth = {"Authorization": f"Bearer {people['guest']}"}

    def asked(path: str) -> httpx.Response:
        return httpx.get(service.url + path, headers=auth, timeout=20)

    # Their own is found by its name, though the cellar has one of that name.
    own = asked("/api/entities/Switch")
    assert (own.status_code, own.json()["entity"]) == (200, "loft-lamp/switch")
    assert own.json()["watchers"] == []
    # What is there and not theirs answers as what is not there, to the letter.
    for there, nowhere in (
        ("/api/entities/cellar-rack/humidity", "/api/entities/cellar-rock/humidity"),
        ("/api/entities/Cellar rack humidity", "/api/entities/Cellar rock humidity"),
        ("/api/entities?room=Cheese cellar", "/api/entities?room=Cheese cellor"),
        ("/api/entities?node=cellar-rack", "/api/entities?node=cellar-rock"),
        ("/api/courses?entity=cellar-rack/humidity", "/api/courses?entity=cellar-rock/humidity"),
    ):
        one, other = asked(there), asked(nowhere)
        assert (one.status_code, other.status_code) == (404, 404), (one.text, other.text)
        alike = one.text.replace("rack", "rock").replace('cellar"', 'cellor"')
        assert alike.replace("Cheese cellar", "Cheese cellor") == other.text
        assert "did you mean" not in one.text


def test_everybody_is_listed_with_their_role_walls_too(
    service: Service, people: dict[str, str]
) -> None:
    listed = service.hombi("person", "list").stdout
    assert re.search(r"the-adult\s+not said yet\s+their word\s+adult\s+the house", listed), listed
    assert re.search(r"hall-wall\s+wall\s+hall", listed), listed
    rows = json.loads(service.hombi("person", "list", "--json").stdout)
    roles = {row["person"]: row["role"] for row in rows}
    assert roles["the-adult"] == "adult"
    assert roles["hall-wall"] == "wall"
    assert roles["the-guest"] == "guest"
    assert {row["person"] for row in rows if "home" in row} == {"ada", "the-adult"}
