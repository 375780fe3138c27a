"""Quiet hours of a person: what is not urgent waits until they are over."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo

from hombi.core.house_time import moment_ms
from hombi.hub.errors import Invalid

_SPAN = re.compile(r"\s*([01]?\d|2[0-3]):([0-5]\d)\s*-\s*([01]?\d|2[0-3]):([0-5]\d)\s*")


@dataclass(frozen=True, slots=True)
class QuietHours:
    """From one time of the day to another, in minutes after midnight; over midnight
    when the second is the earlier one."""

    begins: int
    ends: int

    @classmethod
    def read(cls, text: str) -> QuietHours | None:
        """Those in a text like "22:00-06:30"; None for an empty one. Raises Invalid."""
        if not text.strip():
            return None
        match = _SPAN.fullmatch(text)
        if match is None:
            raise Invalid(f"{text!r} are not quiet hours; write them like 22:00-06:30")
        begins, ends = int(match[1]) * 60 + int(match[2]), int(match[3]) * 60 + int(match[4])
        if begins == ends:
            raise Invalid("quiet hours begin and end at different times")
        return cls(begins, ends)

    def __str__(self) -> str:
        return "-".join(f"{at // 60:02d}:{at % 60:02d}" for at in (self.begins, self.ends))

    def over_ms(self, now_ms: int, zone: tzinfo) -> int | None:
        """When those of this moment are over, in ms; None outside of them."""
        today = datetime.fromtimestamp(now_ms / 1000, UTC).astimezone(zone).date()
        for day in (today - timedelta(days=1), today):
            after = day + timedelta(days=1) if self.begins > self.ends else day
            start = moment_ms(day, self.begins, zone)
            end = moment_ms(after, self.ends, zone, last=True)
            if start <= now_ms < end:
                return end
        return None
