"""Why a hub cannot start."""

from __future__ import annotations


class StartError(Exception):
    """The hub cannot start; the message says why and what to do."""


WRONG_KEY = (
    "{}: put back the secret.key that belongs to this database. If it is lost, start "
    "once with `hombi serve --new-secrets`: "
    "phones, the secrets of nodes and the kept Zigbee network are forgotten and must be "
    "set up again; everything else stays"
)
