"""Reading what is watched: the tables that name an entity and its limit."""

from __future__ import annotations

from typing import Any

from hombi.core.automation import describing
from hombi.core.automation.comparisons import COMPARISONS, Slope
from hombi.core.automation.comparisons.slopes import difference_of
from hombi.core.automation.moving import read_moving
from hombi.core.automation.text import entity, only_keys, span_ms, text
from hombi.core.automation.watch import Lost, Watch
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText

_WORDS = ", ".join(COMPARISONS)
MOST_PARTS = 20

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
        *({"held", "until", "until_held", "lost"} if held else ()),
    }
    only_keys(toml, path, table, known_keys)
    address = text(toml, path, table, "entity", required=True)
    known = entity(toml, (*path, "entity"), address, facts)
    if len(words) != 1:
        named = f"[{path[0]}]" if len(path) == 1 else "this"
        what = f"{named} has {' and '.join(words)}" if words else f"{named} names no limit"
        toml.blame(path, what, f"give one of {_WORDS}")
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
    return Watch(address, kind, comparison, held_ms, lost, moving, until_held_ms)


def read_lost(toml: TomlText, path: Path, table: dict[str, Any]) -> Lost:
    """What happens when the value is lost; what is wrong is noted there."""
    word = text(toml, path, table, "lost")
    if word and word not in tuple(Lost):
        toml.blame((*path, "lost"), f"{word!r} is neither end nor stay", 'write lost = "end"')
        return Lost.END
    return Lost(word) if word else Lost.END
