"""`home`: who is home, as what is watched or what must be so.

home = "nobody"      home = "anyone"      home = "ada"
"""

from __future__ import annotations

from typing import Any

from hombi.core.automation.comparisons import Is
from hombi.core.automation.text import span_ms, text
from hombi.core.automation.watch import Watch
from hombi.core.automation.watching import read_lost
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.kinds import AT_HOME, KINDS
from hombi.core.toml_text import Path, TomlText

AWAY, HOME = Is(0.0), Is(1.0)
HOME_KEYS = frozenset({"home", "held", "until_held", "lost"})


def read_home(
    toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
) -> tuple[tuple[Watch, ...], int] | None:
    """Whom it is about, and how many of them must be so; None for nothing that can be
    used. What is wrong is noted there."""
    word = text(toml, path, table, "home", required=True)
    if not word:
        return None
    own = (*path, "home")
    known = ("nobody", "anyone", *facts.homes)
    if not facts.homes:
        hint = "`hombi person home` says it, or a tap on the house page"
        toml.blame(own, "nobody has said yet whether they are home", hint)
        return None
    if word not in known:
        hint = did_you_mean(word, known) or f"use {', '.join(known)}"
        if word in facts.people:
            hint = f"`hombi person home {word}` says it"
            toml.blame(own, f"{word} has not said yet whether they are home", hint)
        else:
            toml.blame(own, f"nobody here is called {word}", hint)
        return None
    people = [word] if word in facts.homes else sorted(facts.homes)
    compared = AWAY if word == "nobody" else HOME
    held_ms, until_held_ms = (span_ms(toml, path, table, key) for key in ("held", "until_held"))
    lost = read_lost(toml, path, table)
    watches = tuple(
        Watch(facts.homes[person], KINDS[AT_HOME], compared, held_ms, lost, None, until_held_ms)
        for person in people
    )
    return watches, 1 if word == "anyone" else len(watches)
