"""Starters: ready-made automations with blanks to fill in. What they write is a text
like any other, which goes on as the person's own."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Literal

import msgspec

from hombi.core.automation.edit import quoted

Sort = Literal["entity", "value", "span", "text", "person"]
_BLANK = re.compile(r"\$([a-z_]+)")


class StarterError(ValueError):
    """A blank that was left empty and must not be."""


class Blank(msgspec.Struct, frozen=True):
    """Something to fill in. An entity is one of `kinds` (and can be set, if `set`); a
    value belongs to the entity in the blank `of`, and `part` says which part of the
    past lies under it, for a first value. One without a value that is not `needed`
    takes its line, or its whole action, with it."""

    name: str
    label: str
    sort: Sort
    kinds: tuple[str, ...] = ()
    usual: str = ""
    needed: bool = True
    set: bool = False
    of: str = ""
    part: float | None = None


class Starter(msgspec.Struct, frozen=True):
    """A ready-made automation: its text has `$blank` where a blank belongs."""

    name: str
    title: str
    about: str
    blanks: tuple[Blank, ...]
    text: str


def filled(starter: Starter, given: Mapping[str, str]) -> str:
    """The text of a starter with its blanks filled in. Raises StarterError."""
    values = {blank.name: given.get(blank.name, "").strip() or "" for blank in starter.blanks}
    for blank in starter.blanks:
        if blank.needed and not values[blank.name]:
            raise StarterError(f"{blank.label} is empty")
    parts = []
    for part in starter.text.strip().split("\n\n"):
        lines = part.split("\n")
        kept = [line for line in lines if all(values[name] for name in _BLANK.findall(line))]
        # An action without what it is about is none.
        if len(kept) < len(lines) and lines[0].startswith("[["):
            continue
        parts.append(
            "\n".join(_BLANK.sub(lambda match: quoted(values[match[1]]), line) for line in kept)
        )
    return "\n\n".join(parts) + "\n"


def _sensor(kind: str, label: str) -> Blank:
    return Blank("sensor", label, "entity", (kind,))


def _limit(label: str, usual: str, part: float | None = None) -> Blank:
    return Blank("limit", label, "value", usual=usual, of="sensor", part=part)


def _until(usual: str, part: float | None = None) -> Blank:
    return Blank("until", "until it is back at", "value", usual=usual, of="sensor", part=part)


def _switch(label: str, *, needed: bool = True) -> Blank:
    return Blank("switch", label, "entity", ("switch",), needed=needed, set=True)


def _held(usual: str) -> Blank:
    return Blank("held", "so long at least", "span", usual=usual, needed=False)


def _tell(usual: str, *, needed: bool = True) -> Blank:
    return Blank("tell", "tell", "person", usual=usual, needed=needed)


_BOTH_SIDES = """
[[starts]]
switch = $switch
to = "on"

[[ends]]
switch = $switch
to = "off"
"""
_TOLD = """
[[starts]]
notify = $tell
title = "{entity}: {value}"
text = "For {held}, limit {limit}"
"""


def _hub(state: str, title: str, about: str, held: str = "1 min") -> Starter:
    """What the hub tells about itself."""
    return Starter(
        f"hub-{state}", title, about, (_name(title), _held(held), _tell("everyone")),
        f"""name = $name

[watch]
entity = "hub/{state}"
is = "alarm"
held = $held

[[starts]]
notify = $tell
title = $name
text = "The settings page says what to do."
""",
    )  # fmt: skip


def _name(usual: str) -> Blank:
    return Blank("name", "what to call it", "text", usual=usual)


def _watch(word: str) -> str:
    return f"""name = $name

[watch]
entity = $sensor
{word} = $limit
held = $held
until = $until
"""


STARTERS: Mapping[str, Starter] = {
    one.name: one
    for one in (
        Starter(
            "heat", "Heat a room", "A heater on while it is too cold, off when it is warm enough.",
            (_name("Heating"), _sensor("temperature", "the room's temperature"),
             _switch("the heater"), _limit("too cold under", "18 °C"), _until("19 °C"),
             _held("2 min")),
            _watch("under") + _BOTH_SIDES,
        ),
        Starter(
            "cool", "Cool a room", "A fan or cooler on while it is too warm.",
            (_name("Cooling"), _sensor("temperature", "the room's temperature"),
             _switch("the fan or cooler"), _limit("too warm over", "26 °C", 0.95),
             _until("25 °C", 0.8), _held("5 min")),
            _watch("over") + _BOTH_SIDES,
        ),
        Starter(
            "damp-room", "Dry a damp room", "A fan on while the air is too damp.",
            (_name("Too damp"), _sensor("humidity", "the room's humidity"), _switch("the fan"),
             _limit("too damp over", "65 %", 0.95), _until("60 %", 0.7), _held("5 min"),
             _tell("", needed=False)),
            _watch("over") + _BOTH_SIDES + _TOLD,
        ),
        Starter(
            "dry-room", "Keep the air moist", "A mister on while the air is too dry.",
            (_name("Too dry"), _sensor("humidity", "the room's humidity"), _switch("the mister"),
             _limit("too dry under", "40 %", 0.05), _until("45 %", 0.3), _held("5 min")),
            _watch("under") + _BOTH_SIDES,
        ),
        Starter(
            "light-when-dark", "Light when somebody is there",
            "A lamp on when somebody comes and it is dark, until nobody is there.",
            (_name("Light when dark"),
             Blank("there", "who notices somebody", "entity", ("occupancy",)),
             Blank("light", "how bright it is", "entity", ("illuminance",)), _switch("the lamp"),
             Blank("limit", "dark under", "value", usual="50 lx", of="light")),
            """name = $name

[watch]
entity = $there
is = "occupied"

[[starts]]
branch = [ { when = { entity = $light, under = $limit }, switch = $switch, to = "on" } ]

[[ends]]
switch = $switch
to = "off"
""",
        ),
        Starter(
            "light-for-a-while", "Light for a while",
            "A lamp on when somebody comes, off when nobody has moved for a time.",
            (_name("Light for a while"),
             Blank("there", "who notices somebody", "entity", ("occupancy",)),
             _switch("the lamp"),
             Blank("long", "off so long after the last movement", "span", usual="5 min")),
            """name = $name

[watch]
entity = $there
is = "occupied"
until_held = $long
""" + _BOTH_SIDES,
        ),
        Starter(
            "left-open", "A door left open", "Says when it is left open, and again while it is.",
            (_name("Left open"), _sensor("contact", "the door or window"), _held("5 min"),
             _tell("everyone"), Blank("every", "again every", "span", usual="15 min")),
            """name = $name

[watch]
entity = $sensor
is = "open"
held = $held

[[starts]]
notify = $tell
title = "{entity} is open"

[[remind]]
every = $every
at_most = 4
notify = $tell
title = "{entity} is still open, for {for}"
""",
        ),
        Starter(
            "leak", "Water where none should be", "Shuts a valve off and tells at once.",
            (_name("Leak"), _sensor("leak", "the leak sensor"), _tell("everyone"),
             _switch("what to switch off", needed=False)),
            """name = $name

[watch]
entity = $sensor
is = "wet"
lost = "stay"

[[starts]]
switch = $switch
to = "off"

[[starts]]
notify = $tell
title = "Water at {entity}"

[[remind]]
every = "5 min"
at_most = 12
notify = $tell
title = "Still water at {entity}, for {for}"
""",
        ),
        Starter(
            "freezer", "A freezer that gets warm", "Says so, and again while it lasts.",
            (_name("Freezer too warm"), _sensor("temperature", "the temperature in it"),
             _limit("too warm over", "-15 °C", 0.98), _held("20 min"), _tell("everyone")),
            """name = $name

[watch]
entity = $sensor
over = $limit
held = $held
""" + _TOLD + """
[[remind]]
every = "1 h"
at_most = 6
notify = $tell
title = "Still {value} after {for}"
""",
        ),
        Starter(
            "frost", "Frost", "Says when it freezes.",
            (_name("Frost"), _sensor("temperature", "the temperature outside"),
             _limit("frost under", "1 °C"), _until("3 °C"), _held("10 min"), _tell("everyone")),
            _watch("under") + _TOLD,
        ),
        Starter(
            "battery", "A battery that runs low", "Says so once.",
            (_name("Battery low"), _sensor("battery", "the battery"), _limit("low under", "20 %"),
             _until("40 %"), _held("1 h"), _tell("everyone")),
            _watch("under") + _TOLD,
        ),
        Starter(
            "mould", "Mould risk", "Says when the humidity at a cold wall stays high.",
            (_name("Mould risk"), _sensor("humidity", "the surface humidity (a computed value)"),
             _limit("risky over", "80 %"), _until("75 %"), _held("6 h"), _tell("everyone")),
            _watch("over") + _TOLD,
        ),
        Starter(
            "watering", "Water by the soil", "Opens a valve for a time while the soil is dry.",
            (_name("Watering"), _sensor("moisture", "the soil's moisture"), _switch("the valve"),
             _limit("dry under", "30 %", 0.1), Blank("long", "water for", "span", usual="5 min"),
             Blank("pause", "not again within", "span", usual="6 h")),
            """name = $name
pause = $pause

[watch]
entity = $sensor
under = $limit
held = "10 min"

[[starts]]
switch = $switch
to = "on"
for = $long
""",
        ),
        Starter(
            "pump", "A pump that runs too often",
            "Says so, from a count of starts (a computed value).",
            (_name("Pump runs too often"), _sensor("count", "how often it started"),
             Blank("limit", "too often over", "value", usual="12", of="sensor", part=0.95),
             _tell("everyone")),
            """name = $name

[watch]
entity = $sensor
over = $limit
""" + _TOLD,
        ),
        Starter(
            "washing", "The washing is done", "Says so when the power stays low again.",
            (_name("Washing"), _sensor("power", "the machine's power"),
             _limit("it runs over", "10 W"), _until("5 W"), _held("3 min"), _tell("everyone")),
            _watch("over") + """
[[ends]]
notify = $tell
title = "{name} is done"
""",
        ),
        Starter(
            "wake-up", "Wake-up light",
            "A lamp that grows bright slowly in the morning, off after a while.",
            (_name("Wake-up light"), Blank("at", "at", "text", usual="06:45"),
             Blank("lasts", "for", "span", usual="45 min"),
             Blank("lamp", "the lamp", "entity", ("level",), set=True),
             Blank("bright", "how bright", "value", usual="30 %", of="lamp"),
             Blank("slowly", "growing bright over", "span", usual="15 min", needed=False)),
            """name = $name

[watch]
at = $at
lasts = $lasts

[only]
days = ["mon", "tue", "wed", "thu", "fri"]

[[starts]]
set = $lamp
to = $bright
taking = $slowly

[[ends]]
set = $lamp
to = "0 %"
""",
        ),
        Starter(
            "evening-light", "Light in the evening", "A lamp on from before sunset until late.",
            (_name("Evening light"), Blank("at", "at", "text", usual="sunset - 20 min"),
             Blank("lasts", "for", "span", usual="4 h"), _switch("the lamp")),
            """name = $name

[watch]
at = $at
lasts = $lasts
""" + _BOTH_SIDES,
        ),
        Starter(
            "lights-out", "Off when nobody is home", "Switches off when the last one has left.",
            (_name("Nobody is home"), _switch("what to switch off"),
             Blank("more", "and this", "entity", ("switch",), needed=False, set=True),
             Blank("held", "gone for", "span", usual="10 min")),
            """name = $name

[watch]
home = "nobody"
held = $held

[[starts]]
switch = $switch
to = "off"

[[starts]]
switch = $more
to = "off"
""",
        ),
        Starter(
            "silent", "A node that is silent", "Says when a value is not heard any more.",
            (_name("Not heard"), Blank("sensor", "a value of the node", "entity"),
             Blank("long", "silent for", "text", usual="usual"), _tell("everyone")),
            """name = $name

[watch]
entity = $sensor
silent = $long

[[starts]]
notify = $tell
title = "{entity} is silent"

[[ends]]
notify = $tell
title = "{entity} is heard again"
text = "After {for}"
""",
        ),
        _hub("disk", "The hub's disk is nearly full", "Says when there is little room."),
        _hub("links", "A radio or the broker is away", "Says when a stick is out or the broker "
             "does not answer.", "5 min"),
        _hub("certificate", "The hub's certificate ends", "Says when HTTPS needs somebody."),
        _hub("backup", "There is no new backup", "Says when the night's backup failed."),
        _hub("clock", "The hub's clock is wrong", "Says when it starts with a wrong time."),
        Starter(
            "dial", "A dial dims a lamp", "As far as the dial is turned, brighter or darker.",
            (_name("The dial dims the lamp"),
             Blank("dial", "the dial", "entity", ("turn",)),
             Blank("lamp", "the level of the lamp", "entity", ("level",), set=True)),
            """name = $name

[watch]
entity = $dial
is_not = "0 %"

[[starts]]
set = $lamp
by = $dial
""",
        ),
        Starter(
            "button", "A button switches a lamp", "On, and off again with the next press.",
            (_name("The button switches the lamp"),
             Blank("button", "the button", "entity", ("press",)),
             Blank("press", "when it sends", "value", usual="pressed", of="button"),
             _switch("the lamp")),
            """name = $name

[watch]
entity = $button
is = $press

[[starts]]
switch = $switch
to = "other"
""",
        ),
        Starter(
            "standby", "Off instead of standby", "Switches off what only waits.",
            (_name("Off instead of standby"), _sensor("power", "its power"),
             _switch("what to switch off"), _limit("it only waits under", "3 W"),
             _held("15 min")),
            """name = $name

[watch]
entity = $sensor
under = $limit
held = $held

[[starts]]
switch = $switch
to = "off"
""",
        ),
        Starter(
            "fresh-air", "Fresh air", "Says when the air is used up.",
            (_name("Fresh air, please"), _sensor("co2", "the room's CO₂"),
             _limit("used up over", "1000 ppm", 0.9), _until("800 ppm", 0.6), _held("5 min"),
             _tell("everyone")),
            _watch("over") + _TOLD,
        ),
    )
}  # fmt: skip
