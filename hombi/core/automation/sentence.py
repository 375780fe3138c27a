"""An automation as one sentence that a person reads."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from hombi.core.automation.model import DAY_NAMES, Action, Automation, Condition, Lost, Switch
from hombi.core.values import show_limit, show_span


def sentence(automation: Automation, names: Mapping[str, str]) -> str:
    """The whole automation in words; `names` gives an entity's spoken name by its
    address."""
    watch = automation.watch

    def spoken(address: str) -> str:
        return names.get(address, address)

    limit = show_limit(watch.limit, watch.kind)
    comparison = limit if watch.condition is Condition.IS else f"{watch.condition} {limit}"
    text = f"When {spoken(watch.entity)} is {comparison}"
    if watch.held_ms:
        text += f" for {show_span(watch.held_ms)}"
    if watch.until is not None:
        side = "under" if watch.condition is Condition.OVER else "over"
        text += f", until it is back {side} {show_limit(watch.until, watch.kind)}"
    if watch.lost is Lost.STAY:
        text += ", and on while it cannot be heard"
    only = automation.only
    if only.between:
        begins, ends = (f"{m // 60:02d}:{m % 60:02d}" for m in only.between)
        text += f", only from {begins} to {ends}"
    if only.days:
        text += f", only on {', '.join(DAY_NAMES[day].capitalize() for day in sorted(only.days))}"
    text += ": " + "; ".join(_action(action, spoken) for action in automation.starts)
    if automation.ends:
        text += ". When it ends: " + "; ".join(
            _action(action, spoken) for action in automation.ends
        )
    return text + "."


def _action(action: Action, spoken: Callable[[str], str]) -> str:
    if isinstance(action, Switch):
        return f"{spoken(action.entity)} {'on' if action.to else 'off'}"
    return f"tell {action.to} “{action.title}”"
