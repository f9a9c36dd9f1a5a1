"""Fuse-links of all classes as bands: least melting time and greatest operating time over current, from the standards' tables."""

import math
from dataclasses import dataclass
from functools import cache

from northfell.core.catalogue.tables import gg_gates, rows

Points = tuple[tuple[float, float], ...]  # current [A] and time [s], from the least current on
ARCING_S = 0.0133  # of an expulsion link, 0.8 cycle at 60 Hz: its least and about its usual
HALF_CYCLE_S = 0.01  # of what its table says nothing of arcing, at 50 Hz


POWER_FUSES_A = (5.0, 7.0, 10.0, 13.0, 15.0, 20.0, 25.0, 30.0, 40.0, 50.0, 65.0, 80.0, 100.0, 125.0, 150.0, 200.0, 250.0, 300.0, 400.0)  # unverified
POWER_FUSE_SHAPE = ((3.0, 10.0), (6.0, 1.0), (15.0, 0.1))  # times rating and time [s]: free by the standard, this one unverified
POWER_FUSE_BAND, POWER_FUSE_ARCING_S = 1.2, 0.0125


@dataclass(frozen=True)
class LinkBand:
    """One size of a class. Straight lines in log-log through the points.

    Beyond its last point the slow edge keeps its I²t: with less time for heat to leave, the true one is no greater. The fast edge keeps its
    too where that point is of pre-arcing I²t; else it goes on along its last line, below which no curve of melting falls that flattens out.
    """

    fast: Points  # has not melted yet
    slow: Points  # has melted for certain; with `arcing_s`, it has operated
    arcing_s: float
    told: str  # of what the slow edge is made
    source: str
    note: str = ""
    adiabatic: bool = False  # the last points are of pre-arcing I²t

    def beyond(self, edge: str) -> float:
        """By which power of the current the time falls beyond the last point of an edge."""
        if edge == "slow" or self.adiabatic:
            return 2.0
        (i_a, t_s), (last_a, last_s) = self.fast[-2:]
        return max(math.log(t_s / last_s) / math.log(last_a / i_a), 2.0)


def sizes_of(link: str) -> tuple[float, ...]:
    """The sizes of a class [A]."""
    if link in ("K", "T"):
        return tuple(float(row["rating_A"]) for row in rows(f"c37_42_{link}_links.csv"))
    if link == "E":
        return POWER_FUSES_A
    return tuple(gg_gates())


@cache
def band_of(link: str, i_rated_a: float) -> LinkBand | None:
    """The band of a size; None where the class has none of that size.

    Source
    ------
    gG, aM: IEC 60269-1 and IEC 60269-2. K, T: IEEE C37.42, melting points at 300 or 600 s, 10 s and 0.1 s. E: IEEE C37.46, which fixes the
    point at 300 or 600 s alone.
    """
    if i_rated_a not in sizes_of(link):
        return None
    if link == "aM":
        return _motor_link(i_rated_a)
    if link == "E":
        return _power_link(i_rated_a)
    return _expulsion_link(link, i_rated_a) if link in ("K", "T") else _general_link(i_rated_a)


def _general_link(i_rated_a: float) -> LinkBand:
    g = gg_gates()[i_rated_a]
    fast = (g.nonfusing_x * i_rated_a, g.conventional_time_s), (g.i_min_10s_a, 10.0), (g.i_min_01s_a, 0.1), (math.sqrt(g.i2t_min_a2s / 0.01), 0.01)
    slow = (g.fusing_x * i_rated_a, g.conventional_time_s), (g.i_max_5s_a, 5.0), (g.i_max_01s_a, 0.1), (math.sqrt(g.i2t_max_a2s / 0.01), 0.01)
    note = "Straight lines in log-log through the gates; constant I²t below 0.01 s."
    note += " The I²t values of this size are unverified." if "unverified" in g.status else ""
    return LinkBand(fast, slow, 0.0, "slow edge of the gG gates at I", "IEC 60269-1", note, adiabatic=True)


def _motor_link(i_rated_a: float) -> LinkBand:
    """A link for the short circuits of motor circuits alone: it may not melt below four times its rated current."""
    gates = [(float(row["I_over_In"]) * i_rated_a, row["kind"], float(row["time_s"])) for row in rows("iec60269_aM_gates.csv")]
    fast, slow = (tuple((i, t) for i, kind, t in gates if kind == said) for said in ("must not melt before", "must have melted by"))
    note = f"It does not protect below {slow[0][0]:g} A for certain, nor below {fast[0][0]:g} A at all: something else must. Gates unverified."
    return LinkBand(fast, slow, HALF_CYCLE_S, f"slow edge of the aM gates at I, and {HALF_CYCLE_S:g} s of arcing", "IEC 60269-2 (unverified)", note)


def _expulsion_link(link: str, i_rated_a: float) -> LinkBand:
    row = next(r for r in rows(f"c37_42_{link}_links.csv") if float(r["rating_A"]) == i_rated_a)
    times = float(row["long_time_s"]), 10.0, 0.1
    fast, slow = (tuple((float(row[f"I_{edge}_{at}_A"]), t) for at, t in zip(("long", "10s", "0.1s"), times, strict=True)) for edge in ("min", "max"))
    note = "Straight lines in log-log through the points; greatest melting at constant I²t below 0.1 s." + (
        f" Of this size: {row['status']}." if "unverified" in row["status"] else ""
    )
    return LinkBand(fast, slow, ARCING_S, f"greatest melting time of the {link} link at I, and {ARCING_S:g} s of arcing", "IEEE C37.42", note)


def _power_link(i_rated_a: float) -> LinkBand:
    long = next(row for row in rows("c37_46_E_rating.csv") if (row["rating"] == "up to 100E") == (i_rated_a <= 100))
    first = float(long["I_min_pct"]) / 100, float(long["melt_time_s"])
    fast = tuple((m * i_rated_a, t) for m, t in (first, *POWER_FUSE_SHAPE))
    slow = tuple((POWER_FUSE_BAND * i_a, t) for i_a, t in fast)
    told = f"1.2 times the melting current of the E link at its time, and {POWER_FUSE_ARCING_S:g} s of arcing"
    note = "The standard fixes the melting point at 300 or 600 s alone; the shape below it is a usual one, unverified."
    return LinkBand(fast, slow, POWER_FUSE_ARCING_S, told, "IEEE C37.46; shape unverified", note)
