"""Derived entities: values that are computed from others, live and over the past by the
same code, and kept like readings that a node sent."""

from hombi.hub.derived.changes import MakeDerived, RemoveDerived, mean_of
from hombi.hub.derived.part import Derived

__all__ = ["Derived", "MakeDerived", "RemoveDerived", "mean_of"]
