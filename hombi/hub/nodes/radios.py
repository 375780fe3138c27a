"""What a person does with a link's radio: a foreign network on its stick, and the
profiles of its nodes."""

from __future__ import annotations

from pathlib import Path

from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import House, Node
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.nodes.events import NetworkChosen, ProfileKept
from hombi.hub.nodes.links import Links
from hombi.links.base import LinkError, ProfileMistakes
from hombi.links.capabilities import HasStick, Profiles


class Radios(Feature):
    """The radios of links that have one."""

    name = "radios"

    def __init__(self, context: Context, house: House, links: Links) -> None:
        super().__init__(context)
        self.house, self.links = house, links


def stick_of(links: Links) -> HasStick:
    """The driver that has a stick. Raises Refused when none has."""
    sticks = links.that(HasStick)
    if not sticks:
        raise Refused("no link of this hub has a stick")
    return sticks[0]


def profile_of(links: Links, node: Node) -> tuple[Path, str, int]:
    """A node's profile: (its file, its text with what the node says and nothing names
    yet, how many those are). Raises Refused."""
    try:
        return _profiles(links, node).profile_of(node.address)
    except LinkError as error:
        raise Refused(str(error)) from error


def _profiles(links: Links, node: Node) -> Profiles:
    driver = links.of(node)
    if not isinstance(driver, Profiles):
        raise Refused(f"{node.address} speaks over {node.link}; node profiles are for Zigbee nodes")
    return driver


class ChooseNetwork(Change[Radios, None], frozen=True):
    """Say what to do with the foreign network on the stick: "keep" or "clean". Raises
    Refused when there is none."""

    choice: str

    feature = Radios
    right = Right.KEEP

    async def do(self, feature: Radios, by: Actor) -> Done[None]:
        try:
            await stick_of(feature.links).choose(self.choice)
        except LinkError as error:
            raise Refused(str(error)) from error
        return Done(None, NetworkChosen(choice=self.choice))


class KeepProfile(Change[Radios, None], frozen=True):
    """Keep a text as the profile of a node's make and model. Raises Invalid with every
    mistake, Refused."""

    node: str
    text: str

    feature = Radios
    right = Right.TUNE

    async def do(self, feature: Radios, by: Actor) -> Done[None]:
        node = feature.house.node(self.node)
        driver = _profiles(feature.links, node)
        try:
            path = await driver.put_profile(node.address, self.text)
        except ProfileMistakes as error:
            raise Invalid(str(error), error.mistakes) from error
        except LinkError as error:
            raise Refused(str(error)) from error
        return Done(None, ProfileKept(node=node.address, path=str(path)))
