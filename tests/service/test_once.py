"""A change that is sent twice is made once."""

from __future__ import annotations

import asyncio
import json

import httpx
import pytest

from hombi.client import Hub
from hombi.service import once
from tests.house import OWNER, PASSWORD, Service


def test_the_same_wish_sent_twice_is_done_once(service: Service) -> None:
    headers = {"Authorization": f"Bearer {service.token}", "Idempotency-Key": "ab" * 12}
    name = {"name": "Weir board"}
    first, again = (
        httpx.post(f"{service.url}/api/nodes", json=name, headers=headers) for _ in range(2)
    )
    assert (first.status_code, again.status_code) == (201, 201)
    assert first.json()["key"] == again.json()["key"], "the shown key is the one that counts"
    other = httpx.post(
        f"{service.url}/api/nodes", json=name, headers={**headers, "Idempotency-Key": "cd" * 12}
    )
    assert (other.status_code, "already" in json.dumps(other.json())) == (422, True)
    weir = httpx.post(f"{service.url}/api/nodes", json={"name": "Weir gauge"}, headers=headers)
    assert weir.json()["node"] == "weir-gauge", "another body is another wish"
    again = httpx.post(
        f"{service.url}/api/nodes",
        json=name,
        headers={**headers, "Authorization": "Bearer nobody"},
    )
    assert again.status_code == 401, "nobody gets another's answer"


def test_a_stranger_with_the_same_name_gets_no_answer_of_another(service: Service) -> None:
    url, headers = f"{service.url}/api/tokens", {"Idempotency-Key": "1"}
    right = {"username": OWNER, "password": PASSWORD, "name": "bench"}
    first = httpx.post(url, json=right, headers=headers)
    assert first.status_code == 201
    wrong = httpx.post(url, json={**right, "password": "four geese"}, headers=headers)
    assert wrong.status_code == 401
    assert first.json()["token"] not in wrong.text


async def test_one_that_hangs_does_not_keep_the_others(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(once, "_answers", once.OrderedDict())
    hangs = asyncio.get_running_loop().create_future()
    once._answers["hangs"] = (0.0, hangs)
    for number in range(once.MOST_KEPT + 100):
        done = asyncio.get_running_loop().create_future()
        done.set_result(None)
        once._answers[str(number)] = (once.time.monotonic(), done)
    once._forget_old()
    assert len(once._answers) < once.MOST_KEPT
    assert next(iter(once._answers)) == "hangs"
    assert str(once.MOST_KEPT + 99) in once._answers, "the latest stay"


def test_a_token_that_was_revoked_gets_no_answer_again(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    with Hub(own_service.url) as hub:
        token = hub.sign_in(OWNER, PASSWORD).token
    headers = {"Authorization": f"Bearer {token}", "Idempotency-Key": "an-invitation"}
    address = f"{own_service.url}/api/invitations"

    def ask() -> httpx.Response:
        return httpx.post(address, json={"role": "owner"}, headers=headers)

    first, again = ask(), ask()
    assert (first.status_code, again.json()["code"]) == (201, first.json()["code"])
    with own_service.hub() as hub:
        for one in hub.tokens.list():
            hub.tokens.revoke(one.id)
    assert ask().status_code == 401
