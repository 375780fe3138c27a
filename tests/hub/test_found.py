"""Nodes that a link finds by itself: arrivals without a code, moved addresses, and
impostors."""

from __future__ import annotations

from typing import Any

import pytest

from hombi.hub.errors import Invalid
from hombi.hub.nodes.admission import AdmitArrival, EntityChoice
from hombi.hub.nodes.feature import LookAt
from hombi.hub.nodes.pairing import MAX_ARRIVALS
from hombi.links.base import Found
from hombi.links.thing_description import read_description
from tests.house import CLIMATE, description
from tests.hub.parts import Rig, rig, settle


def found(
    title: str = "Loft vent", url: str = "http://10.0.0.7/td", asks: str = "", **properties: Any
) -> Found:
    thing = description(title, **(properties or CLIMATE))
    offer = read_description(thing).offer
    return Found(thing["id"], offer, {"url": url, "description": thing}, "wifi", asks)


async def arrive(r: Rig, one: Found) -> str:
    r.hub.nodes.found(one)
    await settle()
    return next(a.record.id for a in r.hub.pairing.waiting() if a.record.thing_id == one.thing_id)


async def test_a_found_node_arrives_while_pairing_is_open_and_needs_no_code() -> None:
    async with rig() as r:
        r.hub.nodes.found(found())
        await settle()
        assert r.hub.pairing.waiting() == [], "pairing is closed"
        r.hub.pairing.open_window(60_000)
        assert r.link.open
        arrival = await arrive(r, found())
        node = await r.do(AdmitArrival(arrival, "", "Vent", "Loft"))
        assert (node.address, r.hub.links.way(node), node.reach["url"]) == (
            "vent",
            "described",
            "http://10.0.0.7/td",
        )
        assert r.link.known["vent"].reach["url"] == "http://10.0.0.7/td"
        assert r.hub.pairing.arrivals == {}, "it has no key to collect"


async def test_heard_again_it_is_the_same_arrival() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        first = await arrive(r, found())
        await r.clock.forward(5_000)
        assert await arrive(r, found()) == first
        assert r.hub.pairing.find(first).heard_ms == r.clock.now
        await arrive(r, found(url="http://10.0.0.8/td"))
        one, other = r.hub.pairing.waiting()
        assert (one.record.id, other.record.sender) == (first, "10.0.0.8"), (
            "at another address it is shown beside the first"
        )
        assert r.hub.pairing.rivals(one) == [other]


async def test_newer_software_may_bring_more_values_at_the_same_address_only() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        node = await r.do(AdmitArrival(await arrive(r, found()), "", "Vent", "Loft"))
        more = {**CLIMATE, "flap": {"type": "boolean", "@type": "switch"}}
        r.link.things["http://10.0.0.7/td"] = found()
        r.hub.nodes.found(found(url="http://10.0.0.66/td", **more))
        await settle()
        assert set(node.entities) == set(CLIMATE), "somebody else says so"
        r.hub.nodes.found(found(**more))
        await settle()
        assert set(node.entities) == {*CLIMATE, "flap"}
        assert set(r.link.known["vent"].reach["description"]["properties"]) == {*CLIMATE, "flap"}


async def test_what_it_asks_for_must_be_given_and_is_kept_for_its_link() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival = await arrive(r, found(asks="token"))
        with pytest.raises(Invalid, match="only to who knows its token"):
            await r.do(AdmitArrival(arrival, "", "Vent", ""))
        await r.do(AdmitArrival(arrival, "", "Vent", "", "s3cret"))
        assert r.link.known["vent"].reach["secret"] == "s3cret"


async def test_entities_are_named_and_hidden_one_by_one_and_stay_so_when_it_joins_again() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        choices = {
            "temperature": EntityChoice("Under the ridge"),
            "humidity": EntityChoice("", hidden=True),
        }
        with pytest.raises(Invalid, match="has no entity wind"):
            await r.do(
                AdmitArrival(await arrive(r, found()), "", "Vent", "", "", {"wind": EntityChoice()})
            )
        await r.do(AdmitArrival(await arrive(r, found()), "", "Vent", "", "", choices))
        for _ in range(2):
            entities = r.hub.house.node("vent").entities
            assert (entities["temperature"].title, entities["humidity"].title) == (
                "Under the ridge",
                "Humidity",
            )
            assert (entities["temperature"].hidden, entities["humidity"].hidden) == (False, True)
            await r.do(
                AdmitArrival(
                    (await r.hub.pairing.found(found(url="http://10.0.0.9/td"))).record.id,
                    "",
                    "",
                    "",
                )
            )


async def test_a_node_at_a_new_address_is_found_again_when_the_old_one_is_silent() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        await r.do(AdmitArrival(await arrive(r, found()), "", "Vent", ""))
        r.link.things["http://10.0.0.7/td"] = found()
        r.hub.nodes.found(found(url="http://10.0.0.8/td"))
        await settle()
        assert r.hub.house.node("vent").reach["url"] == "http://10.0.0.7/td", (
            "the old one still answers"
        )
        assert "NodeDoubled" in r.events()
        r.link.things.clear()
        r.hub.nodes.found(found(url="http://10.0.0.8/td"))
        await settle()
        assert r.hub.house.node("vent").reach["url"] == "http://10.0.0.8/td"
        assert r.link.known["vent"].reach["url"] == "http://10.0.0.8/td"
        assert "NodeRelocated" in r.events()


async def test_a_typed_address_needs_no_open_window_and_says_what_is_wrong() -> None:
    async with rig() as r:
        with pytest.raises(Invalid, match="nothing answers at loft"):
            await r.do(LookAt("loft"))
        r.link.things["loft"] = found()
        arrival = await r.do(LookAt("loft"))
        await r.do(AdmitArrival(arrival.record.id, "", "Vent", ""))
        with pytest.raises(Invalid, match="is in already, as vent"):
            await r.do(LookAt("loft"))


async def test_no_more_arrivals_than_a_person_can_look_at() -> None:
    async with rig() as r:
        for number in range(MAX_ARRIVALS):
            await r.hub.pairing.found(found(f"Node {number}", url=f"http://10.0.0.{number}/td"))
            await r.clock.forward(10)
        await r.hub.pairing.found(found("Node 0", url="http://10.0.0.0/td"))
        await r.hub.pairing.found(found("One more", url="http://10.0.1.1/td"))
        titles = [arrival.record.title for arrival in r.hub.pairing.waiting()]
        assert len(titles) == MAX_ARRIVALS
        assert "One more" in titles
        assert "Node 0" in titles, "it was heard again"
        assert "Node 1" not in titles
