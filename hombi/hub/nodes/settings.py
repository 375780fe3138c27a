"""A node's own settings (sensitivity, interval, unit …) and actions, used from the
hub."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Collection, Mapping
from functools import partial
from typing import Any, TypeVar

from hombi.core.errors import UnitError
from hombi.core.house_facts import did_you_mean
from hombi.core.names import meant
from hombi.core.units import convert
from hombi.core.values import split_unit
from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import House, Node
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.nodes.events import NodeUnanswering, SettingChanged, ThingDone
from hombi.hub.nodes.links import Links
from hombi.hub.readings.events import SettingTold
from hombi.hub.settings.config import Config
from hombi.links.base import LinkError
from hombi.links.capabilities import Acted, Acts, HasSettings
from hombi.links.offer import Action, Setting

T = TypeVar("T", Setting, Action)


class NodeSettings(Feature):
    """Reads and changes what a node lets be changed of itself; what it answers is what
    counts."""

    name = "node settings"

    def __init__(self, context: Context, house: House, links: Links, config: Config) -> None:
        super().__init__(context)
        self.house, self.links, self.answer_s = house, links, config.answer_s
        self._waiting: dict[tuple[str, str], list[asyncio.Future[Any]]] = {}
        context.hear(SettingTold, self._told)

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.answer_s = new.answer_s

    async def read(self, address: str) -> Node:
        """The node, with its settings as it tells them now; one that does not answer
        keeps those it told last. Raises NotFound."""
        node = self.house.node(address)
        driver = self.links.drivers.get(node.link)
        if node.settings and isinstance(driver, HasSettings):
            try:
                node.told.update(await driver.settings(node.address))
            except LinkError as error:
                self.context.announce(NodeUnanswering(node=address, what=str(error)))
        return node

    async def change(self, node: Node, setting: Setting, value: Any) -> Any:
        """Change a setting and wait until the node says that it has it; what it has
        then. Raises Refused."""
        address, wire = node.address, setting.wire_name
        driver = self.links.able(node, HasSettings, "its nodes have no settings of their own")
        answer: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        waiting = self._waiting.setdefault((address, wire), [])
        waiting.append(answer)
        try:
            await driver.set_setting(address, wire, value)
            told = await driver.settings(node.address)
            if wire in told:
                self.context.announce(SettingTold(node=address, wire_name=wire, value=told[wire]))
            async with asyncio.timeout(self.answer_s):
                while _differ(now := await answer, value):
                    answer = asyncio.get_running_loop().create_future()
                    waiting.append(answer)
        except LinkError as error:
            raise Refused(str(error)) from error
        except TimeoutError as error:
            raise Refused(
                f"{address} did not confirm its {setting.title} within {self.answer_s:g} s"
            ) from error
        finally:
            self._waiting.pop((address, wire), None)
        return now

    def _told(self, event: SettingTold) -> None:
        """The node says how one of its settings stands."""
        node = self.house.nodes.get(event.node)
        if node is None:
            return
        node.told[event.wire_name] = event.value
        for answer in self._waiting.get((event.node, event.wire_name), []):
            if not answer.done():
                answer.set_result(event.value)


class ChangeSetting(Change[NodeSettings, Node], frozen=True):
    """Change one of a node's own settings, and wait until the node says that it has it.
    Raises NotFound, Invalid, Refused."""

    node: str
    setting: str
    value: Any

    feature = NodeSettings
    right = Right.TUNE

    async def do(self, feature: NodeSettings, by: Actor) -> Done[Node]:
        node = feature.house.node(self.node)
        known = {one.name: one for one in node.offer.settings}
        setting = _own(node, known, self.setting, "setting")
        now = await feature.change(node, setting, setting_value(setting, self.value))
        event = SettingChanged(
            node=node.address, title=node.title, setting=setting.title, value=now, unit=setting.unit
        )
        return Done(node, event)


class Act(Change[NodeSettings, Acted], frozen=True):
    """Have a node do something, with inputs by name; what became of it. Raises
    NotFound, Invalid, Refused."""

    node: str
    action: str
    inputs: Mapping[str, Any] = {}

    feature = NodeSettings
    right = Right.USE

    async def do(self, feature: NodeSettings, by: Actor) -> Done[Acted]:
        node = feature.house.node(self.node)
        action = _own(node, node.actions, self.action, "action")
        inputs = {setting.name or "input": setting for setting in action.inputs}
        if unknown := set(self.inputs) - set(inputs):
            raise Invalid(
                f"{self.action} does not ask for {sorted(unknown)[0]}; it asks for "
                f"{', '.join(inputs) or 'nothing'}"
            )
        values = {
            inputs[name].wire_name: setting_value(inputs[name], value)
            for name, value in self.inputs.items()
        }
        whole: Any = values if any(setting.name for setting in action.inputs) else values.get("")
        driver = feature.links.able(node, Acts, "its nodes cannot be asked to do anything")
        try:
            answer = await driver.act(
                node.address, action.wire_name, whole if action.inputs else None
            )
        except LinkError as error:
            raise Refused(str(error)) from error
        event = ThingDone(
            node=node.address, title=node.title, action=action.title, done=answer.done
        )
        return Done(answer, event)


def doings(house: House) -> dict[str, Callable[[Collection[str], Mapping[str, str]], str]]:
    """What nodes can be asked to do, as node/action, each with what finds out what is
    wrong with its inputs: their names, and those of which the value is known."""
    return {
        f"{node.address}/{name}": partial(_doing_problem, action)
        for node in house.nodes.values()
        for name, action in node.actions.items()
    }


def settings_of(house: House) -> dict[str, Callable[[str], str]]:
    """The nodes' own settings, as node/setting, each with what finds out what is wrong
    with a value."""
    return {
        f"{node.address}/{setting.name}": partial(_setting_problem, setting)
        for node in house.nodes.values()
        for setting in node.offer.settings
    }


def _doing_problem(action: Action, given: Collection[str], known: Mapping[str, str]) -> str:
    inputs = {setting.name or "input": setting for setting in action.inputs}
    asked = f"it asks for {', '.join(inputs) or 'nothing'}"
    if odd := sorted(set(given) - set(inputs)):
        return f"{action.title} does not ask for {odd[0]}; {asked}"
    if missing := sorted(set(inputs) - set(given)):
        return f"{action.title} needs {missing[0]}; {asked}"
    problems = (_setting_problem(inputs[name], value) for name, value in known.items())
    return next((problem for problem in problems if problem), "")


def _setting_problem(setting: Setting, value: str) -> str:
    try:
        setting_value(setting, value)
    except Invalid as error:
        return str(error)
    return ""


def setting_value(setting: Setting, given: Any) -> Any:
    """A value for a setting, from JSON or from what a person typed. Raises Invalid."""
    title, value = setting.title or "the input", given
    if setting.type == "boolean":
        words = {"on": True, "true": True, "yes": True, "off": False, "false": False, "no": False}
        value = words.get(given.strip().lower()) if isinstance(given, str) else given
        if not isinstance(value, bool):
            raise Invalid(f"{title} is on or off, not {given!r}")
    elif setting.type in ("number", "integer"):
        value = _number(setting, title, given)
    elif not isinstance(given, str):
        raise Invalid(f"{title} is a text, not {given!r}")
    if setting.choices and value not in setting.choices:
        raise Invalid(f"{title} is one of {', '.join(map(str, setting.choices))}, not {given!r}")
    return value


def _number(setting: Setting, title: str, given: Any) -> float | int:
    text = _in_unit(given, setting.unit) if isinstance(given, str) else given
    try:
        value = float(text)
    except (TypeError, ValueError) as error:
        raise Invalid(f"{title} is a number, not {given!r}") from error
    if isinstance(given, bool) or (setting.type == "integer" and not value.is_integer()):
        raise Invalid(f"{title} is a whole number, not {given!r}")
    low, high = setting.low, setting.high
    if (low is not None and value < low) or (high is not None and value > high):
        first, last = ("" if one is None else f"{one:g}" for one in (low, high))
        limits = f"{first} to {last} {setting.unit}".strip()
        raise Invalid(f"{title} is {limits}, not {value:g}")
    return int(value) if setting.type == "integer" else value


def _in_unit(text: str, unit: str) -> str | float:
    """What a person typed, with or without a unit, in the setting's own: "1 min" is 60
    where it counts seconds."""
    number, own = split_unit(text)
    if not own or own == unit:
        return number
    try:
        return convert(float(number), own, unit)
    except (UnitError, ValueError):
        return text


def _differ(told: Any, asked: Any) -> bool:
    both = (told, asked)
    numbers = all(isinstance(one, int | float) and not isinstance(one, bool) for one in both)
    return abs(told - asked) > 1e-6 * max(1.0, abs(asked)) if numbers else bool(told != asked)


def _own(node: Node, known: Mapping[str, T], word: str, what: str) -> T:
    """One of a node's own settings or actions, by its name or its title. Raises
    NotFound."""
    result = meant(word, {name: (one.title,) for name, one in known.items()})
    if len(result) == 1:
        return known[result[0]]
    hint = did_you_mean(word, known) or (
        f"it has {', '.join(sorted(known))}" if known else "it has none"
    )
    raise NotFound(f"{node.title} has no {what} {word}; {hint}")
