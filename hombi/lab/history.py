"""The five weeks before the demo began, made by the same physics that runs it live."""

from __future__ import annotations

from collections.abc import Iterator

from hombi.core.senml import Record
from hombi.lab.heron_mill import PLANS
from hombi.lab.node import record
from hombi.lab.physics import Mill

DAYS = 35
STEP_S = 60.0


def spacing_s(before_now_s: float) -> float:
    """How far apart the nodes kept their values: finer for what was lately."""
    if before_now_s <= 2 * 3600:
        return 60
    return 300 if before_now_s <= 2 * 86_400 else 900


def history(seed: int, until_s: float) -> tuple[Mill, dict[str, list[Record]]]:
    """The mill as it is at `until_s`, and what each node kept of the 35 days before,
    oldest first."""
    mill = Mill(seed, until_s - DAYS * 86_400)
    kept: dict[str, list[Record]] = {plan.address: [] for plan in PLANS}
    states: dict[tuple[str, str], object] = {}
    for number, (at_s, due) in enumerate(_moments(until_s)):
        mill.step(at_s)
        mill.live_by_itself()
        for plan in PLANS:
            for prop in plan.properties:
                if prop.type == "boolean":
                    value = prop.sense(mill)
                    if value != states.get((plan.address, prop.name)):
                        states[plan.address, prop.name] = value
                        kept[plan.address].append(record(prop, mill, at_s))
                elif due and number % prop.history_every == 0:
                    kept[plan.address].append(record(prop, mill, at_s))
    # The old controls are taken out now: what they left on would stay on, since no
    # automation has started it.
    d = mill.devices
    d.mister = d.fan = d.kettle = False
    return mill, kept


def _moments(until_s: float) -> Iterator[tuple[float, bool]]:
    """Each minute of the past, and whether a report was due then."""
    at_s, next_s = until_s - DAYS * 86_400, 0.0
    while at_s < until_s - 1:
        due = at_s >= next_s
        if due:
            next_s = at_s + spacing_s(until_s - at_s)
        yield at_s, due
        at_s += STEP_S
