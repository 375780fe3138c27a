"""A change is made whole or not at all: of a request with two halves neither is kept
when one cannot be, and what cannot be stored is not so in memory either."""

from __future__ import annotations

from typing import Any

import httpx
import pytest

from hombi.client import HubProblem
from tests.house import Joined, Service


def patch(service: Service, path: str, **asked: Any) -> httpx.Response:
    headers = {"Authorization": f"Bearer {service.token}"}
    return httpx.patch(f"{service.url}/api{path}", json=asked, headers=headers)


def get(service: Service, path: str) -> Any:
    headers = {"Authorization": f"Bearer {service.token}"}
    return httpx.get(f"{service.url}/api{path}", headers=headers).json()


@pytest.mark.parametrize(
    ("path", "asked"),
    [
        ("/nodes/cellar-rack", {"title": "Old rack", "room": "\u202eloft"}),
        ("/nodes/cellar-rack", {"title": "\u202eOld rack", "room": "A new room"}),
        ("/entities/cellar-rack/humidity", {"kind": "number", "title": "\u202eDamp"}),
        ("/entities/cellar-rack/humidity", {"title": "Damp", "hidden": True, "seen_in": "°C"}),
        ("/entities/cellar-rack/humidity", {"kind": "number", "seen_in": "%"}),
        ("/entities/cellar-rack/humidity", {"kind": "number", "title": "N", "keep": "for ever so"}),
        ("/presence/{owner}", {"quiet": "22:00-06:00", "follows": ["no/such"]}),
        ("/presence/{owner}", {"quiet": "22:00-06:00", "home": True, "linger": "3 years",
                             "follows": ["cellar-rack/humidity"]}),
        ("/rooms/cheese-cellar", {"name": "Cave", "floor": "No such floor"}),
        ("/floors/Ground floor", {"name": "\u202eLow", "position": 0}),
    ],
)  # fmt: skip
def test_the_first_half_is_not_kept_when_the_second_cannot_be(
    service: Service, rack: Joined, path: str, asked: dict[str, Any]
) -> None:
    (owner,) = [one["person"] for one in get(service, "/presence")]
    path = path.format(owner=owner)

    def everything() -> list[Any]:
        places = ("/nodes", "/entities", "/presence", "/rooms")
        return [
            [{k: v for k, v in one.items() if k != "heard_at"} for one in get(service, place)]
            for place in places
        ]

    with service.hub() as hub:
        before = everything()
        events = [entry.text for entry in hub.journal()]
        answer = patch(service, path, **asked)
        assert answer.status_code in (404, 422), answer.text
        assert everything() == before
        assert [entry.text for entry in hub.journal()] == events


def test_both_halves_are_kept_and_told(service: Service, rack: Joined) -> None:
    answer = patch(service, "/nodes/cellar-rack", title="Low rack", room="Loft")
    assert (answer.json()["title"], answer.json()["room"]) == ("Low rack", "loft")
    answer = patch(service, "/entities/cellar-rack/humidity", kind="moisture", title="Damp")
    assert (answer.json()["kind"], answer.json()["title"]) == ("moisture", "Damp")
    answer = patch(service, "/entities/cellar-rack/humidity", kind="humidity", title="Humidity")
    assert answer.json()["kind"] == "humidity"
    answer = patch(service, "/nodes/cellar-rack", title="Cellar rack", room="Cheese cellar")
    with service.hub() as hub:
        said = " ".join(entry.text for entry in hub.journal())
        assert "Low rack" in said


def test_a_pick_for_several_nodes_is_made_for_all_or_for_none(service: Service) -> None:
    with service.hub() as hub:

        def pick(kind: str, title: str, *nodes: str) -> list[Any]:
            return list(
                hub.messages.pick("mill/{node}/state", kind, title, pointer="/t", nodes=nodes)
            )

        pick("temperature", "Warmth", "vat-a")
        before = {one.entity for one in hub.entities.list()}
        for nodes in (["vat-b", "vat-a"], ["vat-c", "Vat C"]):
            with pytest.raises(HubProblem):
                pick("temperature", "Warmth", *nodes)
            assert {one.entity for one in hub.entities.list()} == before
        made = pick("humidity", "Damp", "vat-b", "vat-c")
        assert len(made) == 2
        said = [entry.text for entry in hub.journal()]
        for node in ("vat-b", "vat-c"):
            assert any(f"{node}/damp" in one or "Damp" in one for one in said), node
