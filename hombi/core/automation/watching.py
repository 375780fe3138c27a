"""Reading what is watched: the tables that name an entity and its limit."""

from __future__ import annotations

import re
from typing import Any

from hombi.core.automation import describing
from hombi.core.automation.comparisons import COMPARISONS, Slope
from hombi.core.automation.comparisons.slopes import difference_of
from hombi.core.automation.moving import read_moving
from hombi.core.automation.text import entity, only_keys, span_ms, text
from hombi.core.automation.watch import Lost, Watch
from hombi.core.errors import ValueTextError
from hombi.core.house_facts import HouseFacts
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import parse_span_ms

_WORDS = ", ".join(COMPARISONS)
MOST_PARTS, MOST_TIMES = 20, 20
_BESIDE = ("held", "until", "until_held", "lost", "times", "lasts")
# How what happens is compared.
_OF_MOMENTS = ("is", "is_not", "over", "under", "silent")

# How a state that is asked for is written.
ENTITY = describing.text(
    "the value to look at, node/entity", "cellar-rack/humidity", takes=describing.ENTITY
)
STATE = describing.table(
    "what must be so",
    {
        "entity": ENTITY,
        **{word: each.schema() for word, each in COMPARISONS.items() if each.is_state},
    },
    required=["entity"],
)


def read_parts(
    toml: TomlText, path: Path, given: object, facts: HouseFacts, *, held: bool = True
) -> tuple[Watch, ...] | None:
    """Several that are watched, one table each."""
    if not isinstance(given, list) or not all(isinstance(one, dict) for one in given):
        hint = 'write [ { entity = "…", over = "…" }, … ]'
        toml.blame(path, f"{path[-1]} is a list of tables in braces", hint)
        return None
    if len(given) > MOST_PARTS:
        toml.blame(path, f"{path[-1]} has {MOST_PARTS} at most, not {len(given)}")
        return None
    result = [read_part(toml, (*path, n), one, facts, held=held) for n, one in enumerate(given)]
    known = tuple(watch for watch in result if watch is not None)
    return known if len(known) == len(result) else None


def read_part(
    toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts, *, held: bool = True
) -> Watch | None:
    """One that is watched; without `held`, one that is only asked for. What is wrong is
    noted there."""
    words = [word for word in COMPARISONS if word in table]
    known_keys = {
        "entity",
        *COMPARISONS,
        *(_BESIDE if held else ()),
    }
    only_keys(toml, path, table, known_keys)
    address = text(toml, path, table, "entity", required=True)
    known = entity(toml, (*path, "entity"), address, facts)
    if len(words) != 1:
        named = f"[{path[0]}]" if len(path) == 1 else "this"
        what = f"{named} has {' and '.join(words)}" if words else f"{named} names no limit"
        toml.blame(path, what, f"give one of {_WORDS}")
        return None
    if known is not None and not _goes_with(toml, path, table, words[0], known.kind, held=held):
        return None
    held_ms = span_ms(toml, path, table, "held")
    until_held_ms = span_ms(toml, path, table, "until_held")
    lost = read_lost(toml, path, table)
    compared = COMPARISONS[words[0]]
    if not compared.is_state and not held:
        states = ", ".join(word for word, each in COMPARISONS.items() if each.is_state)
        toml.blame(
            (*path, words[0]), f"{words[0]} is not a state", f"here a state is asked for: {states}"
        )
        return None
    if known is None:
        return None
    plain, moving = read_moving(toml, path, table, compared, known.kind, facts)
    if moving is None and words[0] not in plain:
        return None  # it was blamed
    parse = compared.parse if moving is None else compared.parse_followed
    comparison = parse(toml, path, plain, known.kind)
    if comparison is None:
        return None
    if moving is not None:
        comparison = moving.unknown(comparison)
    kind = difference_of(known.kind) if isinstance(comparison, Slope) else known.kind
    lasts_ms = span_ms(toml, path, table, "lasts")
    times, times_ms = _times(toml, path, table)
    return Watch(
        *(address, kind, comparison, held_ms, lost, moving, until_held_ms),
        *(lasts_ms, times, times_ms),
    )


_OFTEN = re.compile(r"\s*(\d{1,2})\s+in\s+(.+)")


def _times(toml: TomlText, path: Path, table: dict[str, Any]) -> tuple[int, int]:
    """How often what happens must come, and within what time in ms."""
    written = text(toml, path, table, "times")
    if not written:
        return 1, 0
    match = _OFTEN.fullmatch(written)
    try:
        if match is not None and 2 <= int(match[1]) <= MOST_TIMES:
            return int(match[1]), parse_span_ms(match[2])
    except ValueTextError as error:
        toml.blame((*path, "times"), str(error))
        return 1, 0
    what = f"{written!r} is not how often within a time, 2 to {MOST_TIMES}"
    toml.blame((*path, "times"), what, 'write times = "3 in 10 s"')
    return 1, 0


def _goes_with(
    toml: TomlText, path: Path, table: dict[str, Any], word: str, kind: Kind, *, held: bool
) -> bool:
    """Whether what is written goes with a kind that happens, or with one that lasts."""
    before = len(toml.mistakes)
    if not kind.moment:
        for own in [own for own in ("times", "lasts") if own in table]:
            what = f"a {kind.shown} lasts until it is another"
            toml.blame((*path, own), what, f"{own} goes with what happens, like a press")
        return len(toml.mistakes) == before
    if not held:
        hint = "watch it in [watch]: each time starts the automation"
        toml.blame(path, f"a {kind.shown} happens, and is no state to ask for", hint)
    elif word not in _OF_MOMENTS:
        hint = f"write {' or '.join(_OF_MOMENTS)}"
        toml.blame((*path, word), f"a {kind.shown} happens, and is not {word}", hint)
    for key in {"held", "until", "until_held", "lost"} & set(table):
        hint = f'a {kind.shown} starts each time; lasts = "5 min" gives it an end'
        toml.blame((*path, key), f"{key} does not go with what happens", hint)
    return len(toml.mistakes) == before


def read_lost(toml: TomlText, path: Path, table: dict[str, Any]) -> Lost:
    """What happens when the value is lost; what is wrong is noted there."""
    word = text(toml, path, table, "lost")
    if word and word not in tuple(Lost):
        toml.blame((*path, "lost"), f"{word!r} is neither end nor stay", 'write lost = "end"')
        return Lost.END
    return Lost(word) if word else Lost.END
