"""The page of tiles that hangs in the mill's kitchen."""

from __future__ import annotations

from hombi.lab.camera import PATH
from hombi.wire.dashboards import TileRequest


def kitchen_wall(lab_port: int) -> list[TileRequest]:
    """Its tiles; the camera is on the lab's port."""
    return [
        TileRequest(sort="value", of=["terrace-mast/temperature"]),
        TileRequest(sort="value", of=["cellar-rack/humidity"]),
        TileRequest(sort="value", of=["boathouse-door/contact"]),
        TileRequest(sort="value", of=["cellar-sump/pump-starts"]),
        TileRequest(
            sort="picture",
            of=["hen-house-perch/temperature", "hen-house-perch/occupancy"],
            size="large",
            text="Hen yard",
            address=f"http://127.0.0.1:{lab_port}{PATH}",
        ),
        TileRequest(
            sort="values",
            of=["cellar-rack/temperature", "loft-beam/temperature", "drying-rack/temperature"],
        ),
        TileRequest(sort="text", text="Turn the wheels on Mondays.\nThe wax is in the press."),
        TileRequest(sort="curve", of=["loft/cold-corner"], size="wide"),
    ]
