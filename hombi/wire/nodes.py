"""Nodes, and what is theirs: settings, actions, keys, setup codes, profiles."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from hombi.wire.base import UNSET, Ask, MaybeName, Meta, Ms, Name, Shape, UnsetType


class Setting(Shape, frozen=True, kw_only=True):
    """One of a node's own settings, or one input of an action. `value` is what the node
    told last, null for nothing yet."""

    name: str
    title: str
    type: Literal["number", "integer", "boolean", "string"]
    unit: str
    low: float | None
    high: float | None
    choices: list[Any]
    value: Any


class NodeAction(Shape, frozen=True, kw_only=True):
    """Something that a node can be asked to do."""

    name: str
    title: str
    about: str
    inputs: list[Setting]


class Node(Shape, frozen=True, kw_only=True):
    """A node. `here` is whether it is connected; `heard_at` moves with everything it
    sends.

    `way` is how it speaks: `senml` by itself, `described` as its Thing Description
    says, `foreign` as it likes, `paired` over a radio of its own.
    """

    node: str
    title: str
    link: str
    room: str | None
    here: bool
    silent: bool
    heard_at: Ms
    admitted_at: Ms
    refused: Annotated[
        int, Meta(description="how many of its values and messages were refused since the start")
    ]
    entities: list[str]
    way: Literal["senml", "described", "foreign", "paired"]
    left: Annotated[
        bool, Meta(description="it has left by itself, by a reset or into another house")
    ]
    make: Annotated[str, Meta(description="what it says of itself: make, model, software")]
    url: Annotated[str, Meta(description="where its description is, if the hub reaches it")]
    has_key: bool
    shut_out: Annotated[str, Meta(description="why it refuses the hub, in words; or empty")]
    clock: Annotated[str, Meta(description="how its clock is wrong, in words; or empty")]
    settings: list[Setting]
    actions: list[NodeAction]
    left_out: Annotated[list[str], Meta(description="what it has that the hub does not use")]
    unit_notes: Annotated[
        list[str], Meta(description="its values in units that the hub does not know")
    ]


class NodeSecret(Ask, frozen=True, kw_only=True):
    """What a node asks the hub for: user:password, or its token."""

    secret: Annotated[str, Meta(min_length=1, max_length=1_000)]


class NodeKey(Shape, frozen=True, kw_only=True):
    """A node's key, shown this once, with what it types to post a value."""

    node: str
    key: str
    curl: Annotated[str, Meta(description="a line that posts 21.5 for the entity ENTITY")]
    get: Annotated[str, Meta(description="an address for boards that can only fetch one")]


class Acted(Shape, frozen=True, kw_only=True):
    """What became of an action. With `done` false the node was asked, over a way that
    brings no answer; else `answer` is what it answered, if anything."""

    done: bool
    answer: Any


class SetupCode(Shape, frozen=True, kw_only=True):
    """A setup code, the address in its QR code, and the QR code as SVG."""

    code: str
    address: str
    svg: str


class NodeProfile(Shape, frozen=True, kw_only=True):
    """The profile of a Zigbee node's make and model. `text` ends with what the node
    says and nothing names yet."""

    path: Annotated[str, Meta(description="where the house keeps it, or would")]
    text: str
    unnamed: Annotated[int, Meta(description="how many values have no name yet")]


class Zigbee(Shape, frozen=True, kw_only=True):
    """The stick and its network. `foreign`: it carries a network that is not this
    house's, and a person must say what to do."""

    port: str
    state: Literal["up", "down", "foreign"]
    text: Annotated[str, Meta(description="how it is, in words")]
    firmware: str
    pan_id: int | None
    extended_pan_id: str
    channel: int | None
    ieee: Annotated[str, Meta(description="the stick's own address")]
    nodes: int


class NodeRequest(Ask, frozen=True, kw_only=True):
    """A node that posts its values: its name, and its room."""

    name: Name
    room: MaybeName = ""


class NodeChange(Ask, frozen=True, kw_only=True):
    """What to change of a node; a room that does not exist is made, "" is none."""

    title: Annotated[str, Meta(min_length=1, max_length=120)] | UnsetType = UNSET
    room: Annotated[str, Meta(max_length=80)] | UnsetType = UNSET


class PostedRequest(Ask, frozen=True, kw_only=True):
    """A value that a node posts: its name, kind and unit; `pointer` is where it stands
    when JSON is posted."""

    title: Name
    kind: Annotated[str, Meta(min_length=1, max_length=20)]
    unit: Annotated[str, Meta(max_length=40)] = ""
    pointer: Annotated[str, Meta(max_length=300)] = ""


class SettingRequest(Ask, frozen=True, kw_only=True):
    """The value wanted."""

    value: Any


class ActionRequest(Ask, frozen=True, kw_only=True):
    """What the action asks for, by name."""

    inputs: dict[str, Any] = {}


class ChoiceRequest(Ask, frozen=True, kw_only=True):
    """What to do with a foreign network on the stick: keep it, or start clean."""

    choice: Literal["keep", "clean"]


class ProfileRequest(Ask, frozen=True, kw_only=True):
    """The profile's text, in TOML."""

    verbatim = frozenset({"text"})
    text: Annotated[str, Meta(min_length=1, max_length=100_000)]
