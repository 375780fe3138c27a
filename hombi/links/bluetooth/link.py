"""The Bluetooth link: nodes over BlueZ."""

from __future__ import annotations

from hombi.links.base import Link
from hombi.links.bluetooth.driver import BluetoothDriver
from hombi.links.bluetooth.settings import TABLES, settings_of

LINK = Link("bluetooth", TABLES, settings_of, BluetoothDriver)
