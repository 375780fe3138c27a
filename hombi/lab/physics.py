"""Heron Mill's physics: an outdoor day, rooms that follow it, and devices that act on
them.

Every room is a first-order model of its temperature and of the water vapour in its air;
relative humidity follows from the two by the Magnus formula (WMO-No. 8, annex 4.B). All
randomness comes from the seed, so a run repeats.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

DAY_S = 86_400.0
YEAR_S = 365.25 * DAY_S


def saturation_hpa(celsius: float) -> float:
    """Saturation vapour pressure over water in hPa, for -45 to 60 °C."""
    return 6.112 * math.exp(17.62 * celsius / (243.12 + celsius))


@dataclass(frozen=True, slots=True)
class Outdoor:
    """The weather at one moment: °C, hPa of water vapour, hPa of air, lx, and degrees
    from north, from where the wind blows."""

    temperature: float
    vapour: float
    pressure: float
    light: float
    wind_from: float


class Weather:
    """The weather as a function of time alone, so that the past and the live house
    agree."""

    def __init__(self, seed: int) -> None:
        rng = random.Random(f"weather {seed}")
        self._waves = [
            (rng.uniform(1.5, 9.0) * DAY_S, rng.uniform(0, math.tau), rng.uniform(0.4, 1.0))
            for _ in range(5)
        ]

    def at(self, time_s: float) -> Outdoor:
        """The weather at a time in seconds since 1970."""
        front = sum(
            size * math.sin(math.tau * time_s / period + phase)
            for period, phase, size in self._waves
        )
        season = math.cos(math.tau * (time_s / YEAR_S - 0.55))
        hour = time_s % DAY_S / 3600
        day_length = 12 + 4 * season
        sun = (
            max(0.0, math.sin(math.pi * (hour - 12 + day_length / 2) / day_length))
            if abs(hour - 12) < day_length / 2
            else 0.0
        )
        clouds = 0.55 + 0.35 * math.tanh(front)
        temperature = (
            10 + 8 * season + 2.2 * front + 4 * math.sin(math.tau * (hour - 9) / 24) * clouds
        )
        humidity = min(0.98, max(0.45, 0.8 - 0.08 * front - 0.18 * sun))
        light = 2 + 80_000 * sun**1.3 * clouds * (0.6 + 0.4 * season)
        # It backs and veers around north-west as fronts pass, and gusts turn it.
        wind_from = (330 + 50 * front + 12 * math.sin(time_s / 47)) % 360
        vapour = humidity * saturation_hpa(temperature)
        return Outdoor(temperature, vapour, 1013 - 4 * front, light, wind_from)


@dataclass
class Room:
    """One room. `lag_s` is how slowly its temperature follows, `air_s` how slowly its
    air is exchanged; `set_point` is what it is held near (the ground for a cellar, a
    stove for a workshop) with `pull` (0 to 1) against the outdoors."""

    lag_s: float
    air_s: float
    set_point: float
    pull: float
    moisture: float
    temperature: float = 15.0
    vapour: float = 12.0

    def step(
        self,
        seconds: float,
        outdoor: Outdoor,
        heat: float = 0.0,
        water: float = 0.0,
        fan: float = 0.0,
    ) -> None:
        """Move on: `heat` in K and `water` in hPa an hour from devices, `fan` as a
        multiple of the usual air exchange."""
        target = self.pull * self.set_point + (1 - self.pull) * outdoor.temperature
        self.temperature += (target - self.temperature) * min(
            1.0, seconds / self.lag_s
        ) + heat * seconds / 3600
        exchange = (1 + fan) / self.air_s
        self.vapour += (outdoor.vapour + self.moisture / (1 + fan) - self.vapour) * min(
            1.0, seconds * exchange
        ) + water * seconds / 3600
        self.vapour = min(self.vapour, 0.995 * saturation_hpa(self.temperature))

    @property
    def humidity(self) -> float:
        """Relative humidity in %."""
        return 100 * self.vapour / saturation_hpa(self.temperature)


@dataclass
class Devices:
    """What can be switched, and what people and hens do."""

    mister: bool = False
    fan: bool = False
    kettle: bool = False
    door_open: bool = False
    steam_until_s: float = 0.0
    lights: bool = False
    hen_lamp: bool = False
    spilt: bool = False
    sump_pump: bool = False


def rooms() -> dict[str, Room]:
    """The mill's rooms as they are."""
    return {
        "cellar": Room(40 * 3600, 30 * 3600, 11.5, 0.92, 1.0, 11.5, 11.3),
        "workshop": Room(4 * 3600, 2 * 3600, 19.0, 0.75, 2.5, 17.0, 11.0),
        "boathouse": Room(2 * 3600, 3600, 8.0, 0.15, 1.2, 9.0, 9.0),
        "hen-house": Room(3 * 3600, 3600, 16.0, 0.4, 2.0, 12.0, 10.0),
        "drying": Room(6 * 3600, 3 * 3600, 21.0, 0.85, 10.0, 19.5, 14.0),
        "loft": Room(5 * 3600, 2 * 3600, 15.0, 0.35, 0.8, 12.0, 9.0),
    }


@dataclass
class Mill:
    """The whole mill at one moment, moved on by `step`."""

    seed: int
    time_s: float
    rooms: dict[str, Room] = field(default_factory=rooms)
    devices: Devices = field(default_factory=Devices)
    energy_kwh: float = 214.0
    lights_kwh: float = 31.0
    sump_m: float = 0.30
    started_s: float = 0.0

    def __post_init__(self) -> None:
        self.weather = Weather(self.seed)
        self.outdoor = self.weather.at(self.time_s)
        self.started_s = self.started_s or self.time_s

    def step(self, to_s: float) -> None:
        """Move on to a time, in steps of a minute at most."""
        while self.time_s < to_s:
            seconds = min(60.0, to_s - self.time_s)
            self.time_s += seconds
            self.outdoor = self.weather.at(self.time_s)
            d = self.devices
            for name, room in self.rooms.items():
                if name == "cellar":
                    room.step(seconds, self.outdoor, water=3.0 if d.mister else 0.0)
                elif name == "drying":
                    room.step(seconds, self.outdoor, heat=0.2, fan=2.0 if d.fan else 0.0)
                elif name == "workshop":
                    room.step(
                        seconds,
                        self.outdoor,
                        heat=1.5 if d.kettle else 0.0,
                        water=1.0 if d.kettle else 0.0,
                    )
                elif name == "boathouse":
                    room.step(seconds, self.outdoor, fan=8.0 if d.door_open else 0.0)
                elif name == "loft":
                    # At night its hatch is shut, and what dries on the lines stays.
                    room.step(seconds, self.outdoor, water=0.0 if 6 <= self.hour < 21 else 1.2)
                else:
                    room.step(seconds, self.outdoor)
            self._sump(seconds)
            self.energy_kwh += self.plug_power / 1000 * seconds / 3600
            self.lights_kwh += self.lights_power / 1000 * seconds / 3600

    def _sump(self, seconds: float) -> None:
        """Water seeps into the cellar's sump, more in wet weather. Its pump, which is
        no node's, starts at 62 cm and stops at 22."""
        d, wet = self.devices, self.outdoor.vapour / saturation_hpa(self.outdoor.temperature)
        seeps = 0.12 + 0.5 * max(0.0, wet - 0.7)
        d.sump_pump = self.sump_m >= 0.62 or (d.sump_pump and self.sump_m > 0.22)
        self.sump_m += (seeps - (4.0 if d.sump_pump else 0.0)) * seconds / 3600

    def live_by_itself(self) -> None:
        """What people, hens and the old controls of the mill did before there was a
        hub; used for the past only."""
        cellar, drying, d = self.rooms["cellar"], self.rooms["drying"], self.devices
        d.mister = cellar.humidity < 82 or (d.mister and cellar.humidity < 86)
        d.fan = drying.humidity > 62 or (d.fan and drying.humidity > 56)
        d.kettle = self._chance("kettle", 600) < (0.25 if 8 <= self.hour < 18 else 0.0)
        self.people()

    def people(self) -> None:
        """Who goes in and out, whether or not there is a hub."""
        self.devices.door_open = self._chance("door", 300) < (
            0.12 if 7 <= self.hour < 20 else 0.004
        )

    @property
    def hour(self) -> float:
        """The hour of the day in UTC."""
        return self.time_s % DAY_S / 3600

    def _chance(self, what: str, every_s: float) -> float:
        return random.Random(f"{self.seed} {what} {int(self.time_s // every_s)}").random()

    def noise(self, what: str, size: float) -> float:
        """A sensor's noise at this moment."""
        return random.Random(f"{self.seed} {what} {self.time_s:.0f}").gauss(0, size)

    @property
    def sump_depth(self) -> float:
        """m of water, as the sensor over it measures it: waves, and now and then an
        echo from the wall."""
        echo = 0.25 if self._chance("echo", 1) < 0.004 else 0.0
        return max(0.0, self.sump_m + echo + self.noise("sump", 0.008))

    @property
    def plug_power(self) -> float:
        """W at the workshop's plug."""
        return 1850.0 if self.devices.kettle else 0.4

    @property
    def lights_power(self) -> float:
        """W at the terrace's plug."""
        return 46.0 if self.devices.lights else 0.3

    @property
    def workshop_door_open(self) -> bool:
        """The workshop's door stands open now and then by day."""
        return self._chance("workshop door", 240) < (0.3 if 8 <= self.hour < 18 else 0.0)

    @property
    def somebody_at_the_boats(self) -> bool:
        """Whether somebody moves in the boathouse."""
        return self._chance("boats", 120) < (0.2 if 7 <= self.hour < 20 else 0.01)

    @property
    def soil_moisture(self) -> float:
        """% in the herb bed: it dries for three days, then somebody waters it."""
        return 58 - 24 * (self.time_s / (3 * DAY_S) % 1) + self.noise("soil", 0.3)

    @property
    def soil_temperature(self) -> float:
        """°C in the herb bed, which follows the air slowly."""
        return 0.6 * self.weather.at(self.time_s - 6 * 3600).temperature + 0.4 * 12

    @property
    def hens_inside(self) -> bool:
        """Hens go in at dusk."""
        return self.outdoor.light < 300 or self._chance("hen", 900) < 0.2

    @property
    def co2(self) -> float:
        """ppm in the workshop: people work there by day."""
        busy = max(0.0, math.sin(math.pi * (self.hour - 8) / 10)) if 8 <= self.hour <= 18 else 0.0
        return 430 + 520 * busy * (0.7 + 0.3 * self._chance("visitors", 1800))

    def battery(self, node: str) -> float:
        """% left; each node runs down at its own pace."""
        days = (self.time_s - self.started_s) / DAY_S + 35
        pace = 0.12 + 0.2 * random.Random(f"{self.seed} battery {node}").random()
        return max(3.0, 99 - pace * days)
