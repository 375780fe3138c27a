"""The ways to a node, on descriptions after the examples of W3C WoT Thing Description
1.1."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.links.wifi.forms import HttpForm, MqttForm, read_forms


def lamp(**change: Any) -> dict[str, Any]:
    """After example 1 of the specification."""
    return {
        "@context": "https://www.w3.org/2022/wot/td/v1.1",
        "id": "urn:uuid:0804d572-cce8-422a-bb7c-4412fcd56f06",
        "title": "MyLampThing",
        "securityDefinitions": {"basic_sc": {"scheme": "basic", "in": "header"}},
        "security": "basic_sc",
        "properties": {
            "status": {"type": "string", "forms": [{"href": "https://mylamp.example.com/status"}]}
        },
        "actions": {"toggle": {"forms": [{"href": "https://mylamp.example.com/toggle"}]}},
        **change,
    }


def test_a_form_without_an_operation_reads_writes_and_invokes() -> None:
    reach = read_forms(lamp())
    status = reach.properties["status"]
    assert status.read == HttpForm("https://mylamp.example.com/status", "GET")
    assert status.write == HttpForm("https://mylamp.example.com/status", "PUT")
    assert reach.actions["toggle"] == HttpForm("https://mylamp.example.com/toggle", "POST")
    assert reach.security.scheme == "basic"
    assert reach.security.asks == "user and password"
    assert reach.described


def test_relative_addresses_stand_on_the_base_or_on_where_it_was_found() -> None:
    thing = lamp(base="/things/lamp/", properties={"level": {"forms": [{"href": "props/level"}]}})
    assert read_forms(thing, "http://10.0.0.7:8080/td").properties["level"].read == HttpForm(
        "http://10.0.0.7:8080/things/lamp/props/level", "GET"
    )
    del thing["base"]
    result = read_forms(thing, "http://10.0.0.7:8080/a/td").properties["level"].read
    assert result == HttpForm("http://10.0.0.7:8080/a/props/level", "GET")


def test_methods_content_types_events_and_reading_all_at_once() -> None:
    thing = lamp(
        forms=[{"href": "/all", "op": ["readallproperties", "writemultipleproperties"]}],
        properties={
            "level": {
                "forms": [
                    {"href": "/level", "op": "readproperty", "contentType": "text/plain"},
                    {"href": "/level", "op": "writeproperty", "htv:methodName": "POST"},
                    {"href": "/level/told", "op": "observeproperty", "subprotocol": "sse"},
                ]
            }
        },
    )
    reach = read_forms(thing, "http://lamp")
    level = reach.properties["level"]
    assert level.read == HttpForm("http://lamp/level", "GET", "text/plain")
    assert level.write == HttpForm("http://lamp/level", "POST")
    assert level.observe == HttpForm("http://lamp/level/told", "GET", events=True)
    assert reach.read_all == HttpForm("http://lamp/all", "GET")


def test_forms_over_mqtt_name_their_topic_in_the_address_or_beside_it() -> None:
    thing = lamp(
        properties={
            "level": {
                "forms": [
                    {
                        "href": "mqtt://broker.mill:1884/mill/lamp/level",
                        "op": "observeproperty",
                        "mqv:qos": "0",
                    },
                    {
                        "href": "mqtt://broker.mill:1884",
                        "op": "writeproperty",
                        "mqv:topic": "mill/lamp/set",
                        "mqv:retain": True,
                        "mqv:controlPacket": "publish",
                    },
                ]
            },
            "other": {
                "forms": [
                    {"href": "mqtt://broker.mill/mill/%2Bodd", "mqv:controlPacket": "mqv:subscribe"}
                ]
            },
        }
    )
    level = read_forms(thing).properties["level"]
    assert level.observe == MqttForm("broker.mill", 1884, "mill/lamp/level", 0)
    assert level.write == MqttForm("broker.mill", 1884, "mill/lamp/set", 1, retain=True)
    assert read_forms(thing).properties["other"].observe == MqttForm(
        "broker.mill", 1883, "mill/+odd"
    )


@pytest.mark.parametrize(
    ("forms", "said"),
    [
        ([{"href": "coap://lamp/level"}], "neither http nor mqtt"),
        ([{"href": "http://lamp/{unit}"}], "variables without a default: unit"),
        (
            [{"href": "http://lamp/level", "contentType": "application/cbor"}],
            "application/cbor is not JSON",
        ),
        ([{"href": "http://lamp/level", "op": "writeproperty"}], "no form for readproperty"),
        ([{"href": "mqtt://lamp", "op": "observeproperty"}], "no form for readproperty"),
    ],
)
def test_what_cannot_be_done_is_named(forms: list[dict[str, Any]], said: str) -> None:
    reach = read_forms(lamp(properties={"level": {"forms": forms}}))
    assert "level" not in reach.properties
    assert len(reach.left_out) == 1
    assert said in reach.left_out[0]
    assert reach.left_out[0].startswith("property level: ")


def test_a_variable_stands_for_its_default() -> None:
    forms = [
        {"href": "/level{?unit,digits}", "op": "readproperty"},
        {"href": "/{zone}/level", "op": "writeproperty"},
    ]
    level = {"forms": forms, "uriVariables": {"digits": {"type": "integer", "default": 2}}}
    thing = lamp(
        base="http://lamp/",
        properties={"level": level},
        uriVariables={"unit": {"default": "%"}, "zone": {"default": "loft 1"}},
    )
    ways = read_forms(thing).properties["level"]
    assert isinstance(ways.read, HttpForm)
    assert isinstance(ways.write, HttpForm)
    assert ways.read.url == "http://lamp/level?unit=%25&digits=2"
    assert ways.write.url == "http://lamp/loft%201/level"


def test_events_are_taken_where_long_polling_is_offered_too() -> None:
    forms = [
        {"href": "http://lamp/l"},
        {"href": "http://lamp/poll", "op": "observeproperty", "subprotocol": "longpoll"},
        {"href": "http://lamp/sse", "op": "observeproperty", "subprotocol": "sse"},
    ]
    reach = read_forms(lamp(properties={"level": {"forms": forms}}))
    assert reach.properties["level"].observe == HttpForm("http://lamp/sse", "GET", events=True)
    assert reach.left_out == ()


def test_events_are_followed_where_they_have_a_stream() -> None:
    sse = {"href": "http://lamp/e", "op": "subscribeevent", "subprotocol": "sse"}
    poll = {**sse, "subprotocol": "longpoll"}
    events = {"fallen": {"forms": [poll, sse]}, "hot": {"forms": [poll]}, "wet": {}}
    reach = read_forms(lamp(events=events))
    assert reach.events == {"fallen": HttpForm("http://lamp/e", "GET", events=True)}
    assert [text.partition(":")[0] for text in reach.left_out] == ["event hot", "event wet"]


def test_long_polling_is_read_again_and_again_and_that_is_said() -> None:
    forms = [
        {"href": "http://lamp/l"},
        {"href": "http://lamp/l", "op": "observeproperty", "subprotocol": "longpoll"},
    ]
    reach = read_forms(lamp(properties={"level": {"forms": forms}}))
    assert reach.properties["level"].read is not None
    assert reach.left_out == (
        "property level: it is read again and again; the hub follows by events (sse), "
        "not by longpoll",
    )


@pytest.mark.parametrize(
    ("definition", "scheme", "asks"),
    [
        ({"scheme": "nosec"}, "nosec", ""),
        ({"scheme": "bearer", "format": "jwt"}, "bearer", "token"),
        ({"scheme": "digest"}, "digest", "user and password"),
        ({"scheme": "apikey", "in": "header", "name": "X-Key"}, "apikey", "key"),
    ],
)
def test_security_that_is_spoken(definition: dict[str, Any], scheme: str, asks: str) -> None:
    security = read_forms(lamp(securityDefinitions={"s": definition}, security=["s"])).security
    assert (security.scheme, security.asks) == (scheme, asks)


def test_security_that_is_not_spoken_is_named() -> None:
    reach = read_forms(lamp(securityDefinitions={"s": {"scheme": "oauth2"}}, security="s"))
    assert "security: oauth2 is not spoken here" in reach.left_out[0]


ODD = ["http://x/{y", "mqtt://h:1/t", "mqtt://h:x/t", "http://[::1", "coap://x", "sse"]
KEYS = [
    "href",
    "op",
    "forms",
    "properties",
    "actions",
    "base",
    "security",
    "scheme",
    "securityDefinitions",
    "subprotocol",
    "mqv:qos",
]
anything = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=8) | st.sampled_from(ODD),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(
        st.sampled_from(KEYS),
        inner,
        max_size=4,
    ),
    max_leaves=20,
)  # fmt: skip


@given(
    st.dictionaries(
        st.sampled_from(
            ["properties", "actions", "forms", "base", "security", "securityDefinitions"]
        ),
        anything,
        max_size=6,
    )
)
def test_any_description_is_read_without_an_exception(source: dict[str, Any]) -> None:
    read_forms(source, "http://found/td")
