"""The Zigbee link: nodes over a stick on a serial port."""

from __future__ import annotations

from hombi.links.base import Link
from hombi.links.zigbee.driver import ZigbeeDriver
from hombi.links.zigbee.settings import TABLES, check_profile, settings_of

LINK = Link("zigbee", TABLES, settings_of, ZigbeeDriver, (check_profile,))
