"""What can be set of the Bluetooth link: the table [bluetooth]."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.core.settings import Key, Tables, Values, name, yes
from hombi.links.base import Surroundings


@dataclass(frozen=True, slots=True)
class BluetoothSettings:
    """All of it; an `adapter` of "" is the machine's first."""

    enabled: bool = True
    adapter: str = ""


TABLES: Tables = {
    "bluetooth": {
        "use": Key("true or false", yes, default=True),
        "adapter": Key('an adapter, like "hci0"', name),
    },
}


def settings_of(values: Values, around: Surroundings) -> BluetoothSettings:
    """The settings in this table."""
    table = values["bluetooth"]
    return BluetoothSettings(table["use"], table["adapter"])
