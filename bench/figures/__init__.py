"""What is measured. Each returns rows: (what, measured, wanted, whether it holds)."""

from __future__ import annotations

from bench.figures.automations import automations
from bench.figures.crowd import crowd
from bench.figures.disk import disk
from bench.figures.household import consoles, keeping
from bench.figures.intake import broker, intake, steady
from bench.figures.radio import bluetooth, zigbee
from bench.figures.reaction import beside, reaction, sleepers
from bench.figures.readings import chains
from bench.figures.thousands import thousands
from bench.figures.use import command_line, first_load, footprint, month, screen

__all__ = ["ALL"]

ALL = {
    f.__name__: f
    for f in (
        intake,
        broker,
        steady,
        disk,
        reaction,
        beside,
        sleepers,
        zigbee,
        bluetooth,
        month,
        chains,
        automations,
        thousands,
        screen,
        crowd,
        consoles,
        keeping,
        footprint,
        command_line,
        first_load,
    )
}
