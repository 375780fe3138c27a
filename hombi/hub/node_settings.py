"""A node's own settings (sensitivity, interval, unit …) and actions, used from the
hub."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from hombi.core.house_facts import did_you_mean
from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import House, Node
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.links.base import Driver, LinkError
from hombi.links.thing_description import Setting


@dataclass
class NodeSettings:
    """Reads and changes what a node lets be changed of itself; what it answers is what
    counts."""

    house: House
    drivers: dict[str, Driver]
    live: Live
    journal: Journal
    answer_s: float
    _waiting: dict[tuple[str, str], list[asyncio.Future[Any]]] = field(default_factory=dict)

    async def read(self, address: str) -> Node:
        """The node, with its settings as it tells them now; one that does not answer
        keeps those it told last. Raises NotFound."""
        node = self.house.node(address)
        if node.settings:
            try:
                node.told.update(await self.drivers[node.link].settings(address))
            except LinkError as error:
                self.journal.fault("NodeUnanswering", str(error), node=address)
        return node

    async def change(self, address: str, name: str, given: Any) -> Node:
        """Change a setting and wait until the node says that it has it. Raises
        NotFound, Invalid, Refused."""
        node = self.house.node(address)
        setting = next((one for one in node.settings.values() if one.name == name), None)
        if setting is None:
            known = {one.name for one in node.settings.values()}
            hint = did_you_mean(name, known) or (
                f"it has {', '.join(sorted(known))}" if known else "it has none"
            )
            raise NotFound(f"{address} has no setting {name}; {hint}")
        value = setting_value(setting, given)
        answer: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        waiting = self._waiting.setdefault((address, setting.wire_name), [])
        waiting.append(answer)
        try:
            driver = self.drivers[node.link]
            await driver.set_setting(address, setting.wire_name, value)
            told = await driver.settings(address)
            if setting.wire_name in told:
                self.told(node, setting.wire_name, told[setting.wire_name])
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
            self._waiting.pop((address, setting.wire_name), None)
        self.journal.note(
            "SettingChanged",
            f"{node.title} has its {setting.title} at {now} {setting.unit}".rstrip(),
            node=address,
        )
        return node

    def told(self, node: Node, wire_name: str, value: Any) -> None:
        """The node says how one of its settings stands."""
        node.told[wire_name] = value
        for answer in self._waiting.get((node.address, wire_name), []):
            if not answer.done():
                answer.set_result(value)
        self.live.publish("house", {"changed": "node", "node": node.address})

    async def act(self, address: str, name: str, given: Mapping[str, Any]) -> Any:
        """Have the node do something, with inputs by name; what it answers. Raises
        NotFound, Invalid, Refused."""
        node = self.house.node(address)
        action = node.actions.get(name)
        if action is None:
            hint = did_you_mean(name, node.actions) or (
                f"it has {', '.join(node.actions)}" if node.actions else "it has none"
            )
            raise NotFound(f"{address} has no action {name}; {hint}")
        inputs = {one.name or "input": one for one in action.inputs}
        if unknown := set(given) - set(inputs):
            raise Invalid(
                f"{name} does not ask for {sorted(unknown)[0]}; it asks for "
                f"{', '.join(inputs) or 'nothing'}"
            )
        values = {
            inputs[key].wire_name: setting_value(inputs[key], value) for key, value in given.items()
        }
        whole: Any = values if any(one.name for one in action.inputs) else values.get("")
        try:
            answer = await self.drivers[node.link].act(
                address, action.wire_name, whole if action.inputs else None
            )
        except LinkError as error:
            raise Refused(str(error)) from error
        self.journal.note("ActionAsked", f"{node.title} was asked for {action.title}", node=address)
        return answer


def setting_value(setting: Setting, given: Any) -> Any:
    """A value for a setting, from JSON or from what a person typed. Raises Invalid."""
    title, value = setting.title or "the input", given
    if setting.type == "boolean":
        words = {"on": True, "true": True, "yes": True, "off": False, "false": False, "no": False}
        value = words.get(given.strip().lower()) if isinstance(given, str) else given
        if not isinstance(value, bool):
            raise Invalid(f"{title} is on or off, not {given!r}")
    elif setting.type in ("number", "integer"):
        try:
            value = float(
                given.removesuffix(setting.unit).strip() if isinstance(given, str) else given
            )
        except (TypeError, ValueError) as error:
            raise Invalid(f"{title} is a number, not {given!r}") from error
        if isinstance(given, bool) or (setting.type == "integer" and not value.is_integer()):
            raise Invalid(f"{title} is a whole number, not {given!r}")
        value = int(value) if setting.type == "integer" else value
        low, high = setting.low, setting.high
        if (low is not None and value < low) or (high is not None and value > high):
            limits = (
                f"{'' if low is None else f'{low:g}'} to "
                f"{'' if high is None else f'{high:g}'} {setting.unit}".strip()
            )
            raise Invalid(f"{title} is {limits}, not {value:g}")
    elif not isinstance(given, str):
        raise Invalid(f"{title} is a text, not {given!r}")
    if setting.choices and value not in setting.choices:
        raise Invalid(f"{title} is one of {', '.join(map(str, setting.choices))}, not {given!r}")
    return value


def _differ(told: Any, asked: Any) -> bool:
    numbers = all(
        isinstance(one, int | float) and not isinstance(one, bool) for one in (told, asked)
    )
    return abs(told - asked) > 1e-6 * max(1.0, abs(asked)) if numbers else bool(told != asked)
