from __future__ import annotations

from typing import Any

import pytest

from hombi.core.names import slug
from hombi.links.thing_description import (
    MAX_PROPERTIES,
    MOST_VALUES,
    DescriptionError,
    part_of,
    read_description,
)
from tests.house import CLIMATE, PLUG, description


def test_reads_a_description_in_the_specifications_style() -> None:
    # After example 1 of W3C WoT TD 1.1, with a unit.
    thing = read_description(
        {
            "@context": [
                "https://www.w3.org/2022/wot/td/v1.1",
                {"om2": "http://www.ontology-of-units-of-measure.org/"},
            ],
            "id": "urn:uuid:0804d572-cce8-422a-bb7c-4412fcd56f06",
            "title": "MyLampThing",
            "securityDefinitions": {"basic_sc": {"scheme": "basic", "in": "header"}},
            "security": "basic_sc",
            "properties": {
                "status": {
                    "type": "string",
                    "forms": [{"href": "https://mylamp.example.com/status"}],
                },
                "powerLevel": {
                    "type": "integer",
                    "minimum": 0,
                    "maximum": 100,
                    "unit": "om2:percent",
                    "@type": "hombi:Level",
                },
            },
            "actions": {"toggle": {"forms": [{"href": "https://mylamp.example.com/toggle"}]}},
            "events": {"overheating": {"data": {"type": "string"}}},
        }
    )
    (level,) = thing.offer.values
    assert (level.name, level.kind.name, level.wire_name, level.writable) == (
        "power-level",
        "level",
        "powerLevel",
        True,
    )
    assert (level.low, level.high) == (0, 100)
    assert [action.name for action in thing.offer.actions] == ["toggle"]
    assert len(thing.offer.left_out) == 2, "what is not used is named, never dropped in silence"


@pytest.mark.parametrize(
    ("name", "prop", "kind"),
    [
        ("temperature", {"type": "number", "unit": "Cel"}, "temperature"),
        ("t1", {"type": "number", "unit": "[degF]"}, "temperature"),
        ("soil-moisture", {"type": "number", "unit": "%"}, "moisture"),
        ("fill", {"type": "number", "unit": "%"}, "level"),
        ("co2", {"type": "integer", "unit": "ppm"}, "co2"),
        ("battery", {"type": "integer", "unit": "%EL"}, "battery"),
        ("count", {"type": "integer"}, "count"),
        ("relay", {"type": "boolean"}, "switch"),
        ("door", {"type": "boolean", "readOnly": True}, "contact"),
        ("x", {"type": "boolean", "readOnly": True, "@type": ["saref:Occupancy"]}, "occupancy"),
        ("temperature", {"type": "number", "unit": "V"}, "voltage"),
        ("temperature", {"type": "number", "unit": "furlong"}, "number"),
    ],
)
def test_finds_the_kind_by_type_then_name_then_unit(
    name: str, prop: dict[str, Any], kind: str
) -> None:
    assert read_description(description("Node", **{name: prop})).offer.values[0].kind.name == kind


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda d: d.pop("title"), "missing required field `title`"),
        (lambda d: d.pop("@context"), "`@context`"),
        (lambda d: d.pop("securityDefinitions"), "`securityDefinitions`"),
        (lambda d: d.update(title=7), r"\$\.title"),
        (lambda d: d.update(title="  "), "empty title"),
        (lambda d: d.update(title="\ud800"), "lone surrogate"),
        (lambda d: d.update(id=""), "has no id"),
        (lambda d: d.update(properties={}), "has 0 properties"),
        (
            lambda d: d.update(properties={"a": {"type": "string"}}),
            "no property .* is a number, a boolean or one of several words",
        ),
        (
            lambda d: d.update(properties={"a": {"type": "number", "minimum": 5, "maximum": 1}}),
            "minimum 5 is over maximum 1",
        ),
        (lambda d: d.update(properties={"a": {"type": "number", "minimum": "0"}}), r"minimum"),
        (lambda d: d.update(properties={"::": {"type": "number"}}), "cannot be made an address"),
        (
            lambda d: d.update(properties={"aB": {"type": "number"}, "a-b": {"type": "number"}}),
            "differ only in capitals",
        ),
        (lambda d: d.update(properties=[1]), r"\$\.properties"),
    ],
)
def test_says_what_is_wrong_and_where(change: Any, said: str) -> None:
    source = description("Node", **CLIMATE, **PLUG)
    change(source)
    with pytest.raises(DescriptionError, match=said):
        read_description(source)


@pytest.mark.parametrize("source", [None, 7, "x", [], {}])
def test_refuses_what_is_no_object(source: object) -> None:
    with pytest.raises(DescriptionError):
        read_description(source)


@pytest.mark.parametrize(
    ("text", "address"),
    [
        ("Cheese cellar", "cheese-cellar"),
        ("powerLevel", "power-level"),
        ("  Ä?", "a"),
        ("Überlauf", "uberlauf"),
        ("日本", "ri-ben"),
        ("  ?", ""),
        ("CO2", "co2"),
    ],
)
def test_addresses(text: str, address: str) -> None:
    assert slug(text) == address


def test_each_number_in_an_object_is_a_value() -> None:
    climate = {
        "type": "object",
        "title": "Air",
        "readOnly": True,
        "properties": {
            "t": {"type": "number", "unit": "Cel", "title": "Air temperature"},
            "motion": {"type": "boolean"},
            "a/b": {"type": "integer", "unit": "ppm"},
            "note": {"type": "string"},
            "deep": {"type": "object"},
        },
    }
    offer = read_description(description("Weir", climate=climate)).offer
    assert [(v.name, v.wire_name, v.title, v.kind_name, v.writable) for v in offer.values] == [
        ("climate-t", "climate/t", "Air temperature", "temperature", False),
        ("climate-motion", "climate/motion", "Air motion", "occupancy", False),
        ("climate-a-b", "climate/a~1b", "Air a/b", "co2", False),
    ]
    assert part_of("climate/a~1b") == ("climate", "/a~1b")
    assert part_of("climate") == ("climate", "")
    assert [text.partition(", ")[0] for text in offer.left_out] == ["property climate"] * 2


@pytest.mark.parametrize(
    ("name", "schema", "kind"),
    [
        ("motion", {"type": "boolean", "readOnly": True}, "occupancy"),
        ("batt", {"type": "number", "readOnly": True}, "battery"),
        ("rainfall", {"type": "number", "unit": "mm", "readOnly": True}, "rain"),
        ("depth", {"type": "number", "unit": "mm", "readOnly": True}, "distance"),
        ("window", {"type": "boolean", "readOnly": True}, "contact"),
    ],
)
def test_kinds_are_known_by_the_words_that_nodes_use(
    name: str, schema: dict[str, Any], kind: str
) -> None:
    (value,) = read_description(description("Weir", **{name: schema})).offer.values
    assert value.kind_name == kind


@pytest.mark.parametrize(("given", "taken"), [("uri", "uri"), (None, ""), (5, ""), ("x" * 900, "")])
def test_only_the_format_of_an_address_is_looked_at(given: object, taken: str) -> None:
    inputs = {"type": "object", "properties": {"of": {"type": "string", "format": given}}}
    thing = {**description("Speaker", **CLIMATE), "actions": {"play": {"input": inputs}}}
    (action,) = read_description(thing).offer.actions
    assert action.inputs[0].format == taken


@pytest.mark.parametrize(
    ("name", "schema", "key", "writable"),
    [
        ("mode", {"enum": ["eco", "boost"]}, "choice|eco|boost", True),
        ("fan", {"enum": ["low", "high"], "readOnly": True}, "choice|low|high", False),
        ("state", {"enum": ["Idle", "Busy now"], "readOnly": True}, "choice|Idle|Busy now", False),
    ],
)
def test_one_of_several_words_is_a_choice(
    name: str, schema: dict[str, Any], key: str, writable: bool
) -> None:
    thing = description("Weir", **{name: {"type": "string", **schema}})
    (value,) = read_description(thing).offer.values
    assert (value.kind.key, value.writable) == (key, writable)


@pytest.mark.parametrize(
    "enum",
    [
        [], ["a", 1], ["a", "a"], ["a|b"], [""], ["x" * 61], ["a\x1b[2J"], [" a"],
        [f"w{n}" for n in range(65)],
    ],
)  # fmt: skip
def test_words_that_cannot_be_kept_as_they_are_make_no_choice(enum: list[Any]) -> None:
    thing = description("Weir", **CLIMATE, state={"type": "string", "enum": enum, "readOnly": True})
    offer = read_description(thing).offer
    assert [value.name for value in offer.values] == ["temperature", "humidity"]
    assert len(offer.left_out) == 1


@pytest.mark.parametrize(
    ("name", "event", "key"),
    [
        ("doorbell", {}, "ring"),
        ("button2", {"title": "Left button"}, "press|pressed"),
        ("key", {"data": {"type": "string", "enum": ["up", "down"]}}, "press|up|down"),
        ("bell", {"data": {"type": "string", "enum": ["short", "long"]}}, "event|short|long"),
        ("overHeating", {}, "event|over-heating"),
        ("overheating", {"title": "Too hot"}, "event|Too hot"),
        ("overheating", {"title": "\x1b\x07", "data": {"type": "null"}}, "event|overheating"),
    ],
)
def test_an_event_is_a_moment(name: str, event: dict[str, Any], key: str) -> None:
    thing = {**description("Weir"), "events": {name: event}}
    (value,) = read_description(thing).offer.values
    assert (value.kind.key, value.wire_name, value.writable) == (key, name, False)


@pytest.mark.parametrize(
    "event", [{"data": {"type": "number"}}, {"data": {"type": "string"}}, {"data": 5}, 7, [1]]
)
def test_an_event_that_says_something_else_is_none(event: Any) -> None:
    thing = {**description("Weir", **CLIMATE), "events": {"gust": event}}
    offer = read_description(thing).offer
    assert len(offer.values) == 2
    assert offer.left_out == ("event gust: no form says how it is followed",)


def test_a_setting_takes_choices_that_are_no_words_of_a_choice() -> None:
    enum = [1, 2, "auto", "x" * 70]
    thing = description("Weir", **CLIMATE, averaging={"type": "string", "enum": enum})
    (setting,) = read_description(thing).offer.settings
    assert setting.choices == tuple(enum)
    thing = description("Weir", **CLIMATE, **{"::": {"type": "integer", "title": "Interval"}})
    with pytest.raises(DescriptionError, match="cannot be made an address"):
        read_description(thing)


def test_an_event_never_costs_a_node_its_values() -> None:
    """However many there are, and whatever they are called."""
    events = {f"event-{n}": {} for n in range(300)} | {"Temperature": {}, "humidity": {}, "::": {}}
    offer = read_description({**description("Weir", **CLIMATE), "events": events}).offer
    assert [v.name for v in offer.values][:2] == ["temperature", "humidity"]
    assert len(offer.values) == MOST_VALUES
    assert len({v.name for v in offer.values}) == MOST_VALUES
    assert len(offer.left_out) == MAX_PROPERTIES
