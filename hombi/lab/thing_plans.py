"""Heron Mill's nodes that describe themselves and are reached over HTTP."""

from __future__ import annotations

from dataclasses import replace

from hombi.lab.heron_mill import of_room
from hombi.lab.property import Property
from hombi.lab.web_thing import ThingPlan

# The lab's pages are here unless the demo runs on another port.
USUAL_PORT = 21462


# Nodes that describe themselves and are reached over HTTP. The first is let in when the
# demo begins, the second waits.
def _vent() -> ThingPlan:
    return ThingPlan(
        "loft-vent",
        "Loft vent",
        "A flap in the gable, with a climate sensor on it.",
        "Loft",
        (
            Property(
                "temperature",
                "Temperature",
                "number",
                of_room("loft", "temperature"),
                "Cel",
                -40,
                85,
            ),
            Property("humidity", "Humidity", "number", of_room("loft", "humidity"), "%RH", 0, 100),
            Property(
                "flap",
                "Flap",
                "boolean",
                lambda mill: False,
                semantic_type="hombi:Switch",
                switches="flap",
            ),
        ),
        told=("temperature",),
        settings={
            "interval": {
                "title": "Interval",
                "type": "integer",
                "unit": "s",
                "minimum": 1,
                "maximum": 600,
            },
            "mode": {"title": "Mode", "type": "string", "enum": ["quiet", "usual", "brisk"]},
        },
        starts={"interval": 30, "mode": "usual"},
        actions={
            "wink": {
                "title": "Wink",
                "description": "Blinks, to be found.",
                "input": {"type": "integer", "unit": "s"},
            }
        },
    )


def _gauge() -> ThingPlan:
    return ThingPlan(
        "race-gauge",
        "Race gauge",
        "How high the water stands in the mill race.",
        "Boathouse",
        (
            Property(
                "level", "Water level", "number", lambda m: 82 + m.noise("race", 1), "cm", 0, 250
            ),
            Property(
                "temperature",
                "Water temperature",
                "number",
                lambda m: 9 + m.noise("water", 0.2),
                "Cel",
                -5,
                40,
            ),
        ),
        told=("level",),
        extra={
            "firmware": {"title": "Firmware", "type": "string", "readOnly": True},
            "drift": {"title": "Drift", "type": "number", "unit": "furlong", "readOnly": True},
        },
        starts={"firmware": "2.1.0", "drift": 0.0},
        actions={"rinse": {"title": "Rinse", "description": "Rinses the float's pipe."}},
    )


def speaker_plan(port: int = USUAL_PORT) -> ThingPlan:
    """A loudspeaker that says what it is given. It is added by its address."""
    return ThingPlan(
        "terrace-speaker",
        "Terrace loudspeaker",
        "Says aloud what it is given.",
        "Terrace",
        (),
        settings={
            "volume": {
                "title": "Volume", "type": "integer", "unit": "%", "minimum": 0, "maximum": 100,
            }
        },
        starts={"volume": 40},
        actions={
            "say": {
                "title": "Say",
                "description": "Says a text.",
                "input": {"type": "object", "properties": {"text": {"type": "string"}}},
            },
            "play": {
                "title": "Play",
                "description": "Plays the sound at an address.",
                "input": {
                    "type": "object",
                    "properties": {"address": {"type": "string", "format": "uri"}},
                },
            },
        },
        house="" if port == USUAL_PORT else f" {port}",
    )  # fmt: skip


def web_things(port: int = USUAL_PORT) -> tuple[ThingPlan, ThingPlan]:
    """The described nodes: the one that is let in, and the one that waits. At another
    port they are other nodes."""
    house = "" if port == USUAL_PORT else f" {port}"
    return replace(_vent(), house=house), replace(_gauge(), house=house)
