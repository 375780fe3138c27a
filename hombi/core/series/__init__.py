"""Series: what an entity is sent, and the readings that are made of it."""

from hombi.core.series.chain import Chain, chain_of, usual_chain
from hombi.core.series.channel import Channel, Channels
from hombi.core.series.derivation import Derivation, Origin
from hombi.core.series.reading import Reading
from hombi.core.series.rollup import DAY_MS, FIVE_MINUTES_MS, HOUR_MS, Rollup
from hombi.core.series.sample import Sample, sample_of

__all__ = [
    "DAY_MS",
    "FIVE_MINUTES_MS",
    "HOUR_MS",
    "Chain",
    "Channel",
    "Channels",
    "Derivation",
    "Origin",
    "Reading",
    "Rollup",
    "Sample",
    "chain_of",
    "sample_of",
    "usual_chain",
]
