"""The house's name and time zone, set without an editor; `hombi.toml` is kept."""

from __future__ import annotations

import stat

import pytest

from tests.house import Service, call, until

TEXT = """# The mill's hub.
[broker]      # the old one
# host = "192.0.2.7"

[house]
time_zone = "UTC"   # until we move
"""


@pytest.fixture
def hub(own_service: Service) -> Service:
    (own_service.data / "hombi.toml").write_text(TEXT)
    own_service.start().sign_in_first()
    return own_service


def test_a_time_zone_is_set_and_the_file_keeps_its_comments_and_its_rights(hub: Service) -> None:
    answer = call(hub, "PATCH", "/api/house", json={"time_zone": "Europe/Berlin"})
    assert answer.status_code == 200, answer.text
    assert answer.json()["time_zone"] == "Europe/Berlin"
    path = hub.data / "hombi.toml"
    assert path.read_text() == TEXT.replace('"UTC"', '"Europe/Berlin"')
    assert stat.S_IMODE(path.stat().st_mode) == 0o600, "it may hold passwords"
    with hub.hub() as client:
        assert client.house().time_zone == "Europe/Berlin"


def test_a_time_zone_that_is_none_changes_nothing(hub: Service) -> None:
    answer = call(hub, "PATCH", "/api/house", json={"time_zone": "Mill/Weir"})
    assert answer.status_code == 422
    assert "Mill/Weir" in answer.json()["detail"]
    assert (hub.data / "hombi.toml").read_text() == TEXT
    with hub.hub() as client:
        assert client.house().time_zone == "UTC"


def test_what_the_environment_sets_is_refused_by_name(hub: Service) -> None:
    answer = call(hub, "PATCH", "/api/house", json={"name": "Heron Mill"})
    assert answer.status_code == 409
    assert "HOMBI_HOUSE_NAME" in answer.json()["detail"]
    assert (hub.data / "hombi.toml").read_text() == TEXT


@pytest.mark.parametrize(
    "broken", [b"[house\n", b"house = 1\n", b"[house]\nname = '\xff'\n", b"house = []\n"]
)
def test_a_file_with_a_mistake_is_left_as_it_is(hub: Service, broken: bytes) -> None:
    path = hub.data / "hombi.toml"
    path.write_bytes(broken)
    answer = call(hub, "PATCH", "/api/house", json={"time_zone": "Europe/Berlin"})
    assert answer.status_code in (409, 422), answer.text
    assert path.read_bytes() == broken
    until(lambda: call(hub, "GET", "/api/house").json()["time_zone"] == "UTC")
