from __future__ import annotations

import stat

import httpx
import pytest

from hombi.client import Conflict, Hub, NotSignedIn, Wrong
from tests.house import OWNER, PASSWORD, Service


def test_there_is_an_owner_once_with_the_code_that_the_hub_printed(own_service: Service) -> None:
    own_service.start()
    with Hub(own_service.url) as hub:
        assert not hub.owned().owned
        with pytest.raises(Conflict, match="not the hub's code"):
            hub.sign_in_first("AAAA-AAAA", OWNER, PASSWORD)
        with pytest.raises(Wrong, match="too short"):
            hub.sign_in_first(own_service.code, OWNER, "short")
        with pytest.raises(Wrong, match="too common"):
            hub.sign_in_first(own_service.code, OWNER, "1234567890")
        with pytest.raises(Wrong, match="username"):
            hub.sign_in_first(own_service.code, "a b", PASSWORD)
        for name in ("everyone", "H\u043euse", "..", "@@"):  # the second with a Cyrillic letter
            with pytest.raises(Wrong, match="nobody can be called"):
                hub.sign_in_first(own_service.code, name, PASSWORD)
        assert hub.sign_in_first(own_service.code.lower(), OWNER, PASSWORD).username == OWNER
        assert hub.owned().owned
        with pytest.raises(Conflict, match="has an owner already"):
            hub.sign_in_first(own_service.code, "eve", PASSWORD)
    own_service.stop()
    own_service.code = ""
    own_service.start()
    assert own_service.code == "", "a owned hub prints no code"


def test_signing_in_gives_a_token_that_can_be_made_void(service: Service) -> None:
    with Hub(service.url) as hub:
        with pytest.raises(NotSignedIn):
            hub.house()
        with pytest.raises(NotSignedIn, match="wrong name or password"):
            hub.sign_in(OWNER, "wrong")
        hub.sign_in(OWNER, PASSWORD)
        assert hub.house().name == "Test house"
        hub.sign_out()
        with pytest.raises(NotSignedIn, match="not valid any more"):
            hub.house()


def test_the_console_signs_in_with_a_session_that_needs_its_csrf_token(service: Service) -> None:
    with httpx.Client(base_url=service.url) as browser:
        assert browser.get("/api/session").status_code == 401
        entered = browser.post("/api/session", json={"username": OWNER, "password": PASSWORD})
        assert (entered.json()["username"], entered.json()["role"]) == (OWNER, "owner")
        assert browser.get("/api/house").status_code == 200
        forged = browser.post("/api/pairing", json={})
        assert forged.status_code == 403
        assert "CSRF" in forged.json()["detail"]
        token = {"X-CSRFToken": browser.cookies["csrftoken"]}
        assert browser.post("/api/pairing", json={}, headers=token).status_code == 200
        assert browser.delete("/api/pairing", headers=token).status_code == 204
        assert browser.delete("/api/session", headers=token).status_code == 204
        assert browser.get("/api/house").status_code == 401


def test_sign_in_is_limited(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    answers = [
        httpx.post(f"{own_service.url}/api/tokens", json={"username": OWNER, "password": "x"})
        for _ in range(12)
    ]
    assert answers[0].status_code == 401
    assert answers[-1].status_code == 429
    assert int(answers[-1].headers["Retry-After"]) > 0


def test_secrets_lie_in_files_for_the_hubs_own_user_only(service: Service) -> None:
    for name in ("hub.token", "secret.key"):
        assert stat.S_IMODE((service.data / name).stat().st_mode) == 0o600


def test_no_secret_is_kept_in_the_clear(service: Service) -> None:
    with Hub(service.url) as hub:
        token = hub.sign_in(OWNER, PASSWORD).token
    stored = b"".join(path.read_bytes() for path in service.data.glob("hub.sqlite3*"))
    assert token.encode() not in stored
    assert PASSWORD.encode() not in stored


@pytest.mark.parametrize(
    "path",
    [
        "house",
        "nodes",
        "entities",
        "entities/a/b",
        "pairing",
        "arrivals",
        "automations",
        "journal",
        "phones",
        "notices",
        "live",
        "session",
    ],
)
def test_nothing_is_told_to_strangers(service: Service, path: str) -> None:
    answer = httpx.get(f"{service.url}/api/{path}")
    assert answer.status_code == 401
    assert answer.headers["content-type"] == "application/problem+json"


@pytest.mark.parametrize("path", ["health", "first-sign-in", "schema", "docs"])
def test_what_anyone_may_read(service: Service, path: str) -> None:
    assert httpx.get(f"{service.url}/api/{path}").status_code == 200
