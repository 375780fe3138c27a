"""What the core refuses.

CoreError
├── UnitError            a unit nobody knows, or two units that measure different things
├── ValueTextError       a value written by a person that cannot be read
├── SenmlError           a SenML pack that is not one
└── NotASample           what was sent cannot be a value of this entity
"""

from __future__ import annotations


class CoreError(Exception):
    """Something given to the core is wrong; the message says what and what to do."""


class UnitError(CoreError):
    """A unit is unknown, or cannot be converted into the one that is wanted."""


class ValueTextError(CoreError):
    """A value written by a person cannot be read."""


class SenmlError(CoreError):
    """A SenML pack does not follow RFC 8428."""


class NotASample(CoreError):
    """What was sent cannot be a value of this entity."""
