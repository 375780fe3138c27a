"""A sensor's past from a file."""

from __future__ import annotations

from hombi.client.calls.base import Call, entity_path, given
from hombi.wire.importing import Import, ImportPlan

# A large file is read twice before the hub answers.
QUIET_S = 1_800.0


def list_(address: str) -> Call[list[Import]]:
    """The files that were imported for an entity, the latest last."""
    return Call("GET", entity_path(address, "imports"), list[Import])


def import_csv(
    address: str,
    data: bytes,
    *,
    apply: bool = False,
    time: str = "",
    value: str = "",
    unit: str = "",
    zone: str = "",
    order: str = "",
    file: str = "",
) -> Call[ImportPlan]:
    """Read a CSV with a sensor's past, and say what would be stored; or store it."""
    params = given(time=time, value=value, unit=unit, zone=zone, order=order, file=file)
    if apply:
        params["apply"] = "1"
    where = entity_path(address, "imports")
    return Call("POST", where, ImportPlan, params=params, body=data, quiet_s=QUIET_S)


def take_back(address: str, number: int) -> Call[None]:
    """Delete what a file brought."""
    return Call("DELETE", entity_path(address, "imports", str(number)), None)
