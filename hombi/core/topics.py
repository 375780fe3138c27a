"""Topic names and filters (MQTT 3.1.1, section 4.7)."""

from __future__ import annotations

MAX_LEVELS = 32


def valid_name(name: str) -> bool:
    """Whether a message may be published under this name: no wildcards, not empty
    [MQTT-3.3.2-2]."""
    return bool(name) and "+" not in name and "#" not in name and name.count("/") < MAX_LEVELS


def valid_filter(name: str) -> bool:
    """Whether this may be subscribed to: wildcards alone on their level, # last
    [MQTT-4.7.1-2, 4.7.1-3]."""
    levels = name.split("/")
    if not name or len(levels) > MAX_LEVELS:
        return False
    for place, level in enumerate(levels):
        if "#" in level and (level != "#" or place != len(levels) - 1):
            return False
        if "+" in level and level != "+":
            return False
    return True


def matches(name_filter: str, name: str) -> bool:
    """Whether a topic name falls under a filter; a leading $ hides from wildcards
    [MQTT-4.7.2-1]."""
    wanted, levels = name_filter.split("/"), name.split("/")
    if name.startswith("$") and wanted[0] in ("+", "#"):
        return False
    for place, level in enumerate(wanted):
        if level == "#":
            return True
        if place >= len(levels) or level not in ("+", levels[place]):
            return False
    return len(wanted) == len(levels)


def covers(broad: str, narrow: str) -> bool:
    """Whether each topic that falls under the filter `narrow` falls under `broad`
    too."""
    wide, levels = broad.split("/"), narrow.split("/")
    if levels[0].startswith("$") and wide[0] in ("+", "#"):
        return False
    for place, level in enumerate(wide):
        if level == "#":
            return True
        if (
            place >= len(levels)
            or levels[place] == "#"
            or (level != "+" and level != levels[place])
        ):
            return False
    return len(wide) == len(levels)
