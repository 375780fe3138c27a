"""The Wi-Fi link: nodes over the hub's own MQTT listener, over a broker that the house
has, and over HTTP."""

from __future__ import annotations

from hombi.links.base import Link
from hombi.links.wifi.driver import WifiDriver
from hombi.links.wifi.settings import TABLES, settings_of

LINK = Link("wifi", TABLES, settings_of, WifiDriver)
