"""What can go wrong on the Bluetooth link.

LinkError (links.base)
└── BluetoothError       something on the Bluetooth link did not work
    ├── ConnectionLost   the connection was lost while something was under way
    └── NoRadio          there is no bus, no BlueZ, no adapter, or it is switched off
GattError                bytes that are not a value of their characteristic
"""

from __future__ import annotations

from hombi.links.base import LinkError


class BluetoothError(LinkError):
    """Something on the Bluetooth link did not work."""


class ConnectionLost(BluetoothError):
    """The connection was lost while something was under way."""


class NoRadio(BluetoothError):
    """There is no bus, no BlueZ, no adapter, or it is switched off."""


class GattError(Exception):
    """Bytes that are not a value of their characteristic; the message says which."""


def said(error: BaseException) -> str:
    """What bleak and the bus raise, in words for a person."""
    text = str(error)
    for mark, words in _WORDS:
        if mark in text or mark in type(error).__name__:
            return words
    return text or type(error).__name__


_WORDS = (
    ("TimeoutError", "it does not answer"),
    ("DeviceNotFound", "it is out of reach"),
    ("UnknownObject", "it is out of reach"),
    ("le-connection-abort", "it is out of reach"),
    ("org.bluez.Error.Failed", "it does not let itself be connected to"),
    ("was not found", "it is out of reach"),
    ("ServiceUnknown", "BlueZ is not running; start it (the service is called bluetooth)"),
    ("FileNotFoundError", "this machine has no system bus"),
    ("Not connected", "the connection was lost"),
    ("Service Discovery has not been performed", "the connection was lost"),
    ("disconnected", "the connection was lost"),
    ("NotConnected", "the connection was lost"),
    ("AssertionError", "the connection was lost"),
    ("KeyError", "the connection was lost"),
    (
        "AuthenticationFailed",
        "it refuses to be paired; if it was reset, take it out and let it in again",
    ),
    ("NotPermitted", "it refuses that"),
    ("NotAuthorized", "it wants to be paired first"),
)
