"""What can be set of the Zigbee link: the table [zigbee]."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from hombi.core.settings import Key, Tables, Values, name, one_of
from hombi.core.toml_text import TomlText
from hombi.links.base import Surroundings
from hombi.links.zigbee.profiles import profile_folder, read_profile

_SPEEDS = (38400, 57600, 115200, 230400, 460800, 921600)


@dataclass(frozen=True, slots=True)
class ZigbeeSettings:
    """All of it; without a port there is no stick. `profiles` is the house's own folder
    of them."""

    port: str = ""
    baud: int = 115_200
    profiles: Path | None = None


TABLES: Tables = {
    "zigbee": {
        "port": Key('where the stick is, like "/dev/serial/by-id/usb-…"', name),
        "baud": Key(
            "a speed: 38400, 57600, 115200, 230400, 460800 or 921600", one_of(*_SPEEDS), 115_200
        ),
    },
}


def settings_of(values: Values, around: Surroundings) -> ZigbeeSettings:
    """The settings in this table."""
    table = values["zigbee"]
    return ZigbeeSettings(table["port"], table["baud"], profile_folder(around.data))


def check_profile(toml: TomlText) -> str | None:
    """What a node profile is for; None for a file that is none."""
    if "profile" not in toml.data:
        return None
    profile, checked = read_profile(toml.text)
    toml.mistakes += checked.mistakes
    if profile is None:
        return ""
    return f"a node profile for {profile.make} {', '.join(profile.models)}"
