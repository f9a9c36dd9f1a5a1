"""What an installation code allows a protective device of a transformer or a motor to be set to."""

from dataclasses import dataclass

from northfell.core.catalogue.sizing_tables import nec_standard_a
from northfell.core.catalogue.tables import rows

NEC_450_3, NEC_430_52 = "NEC 450.3 (recalled, unverified)", "NEC 430.52 (recalled, unverified)"
MOST_UK_PCT = 10.0  # beyond which the table of transformers says nothing


@dataclass(frozen=True)
class CodeLimit:
    """The greatest rating or setting that is allowed."""

    percent: float  # of the rated current
    next_size: bool  # where that is no standard size, the next one is allowed
    told: str

    def most_a(self, i_rated_a: float, comes_in_sizes: bool) -> float:
        """The greatest allowed rating [A]; what is set freely has no sizes."""
        most = self.percent / 100 * i_rated_a
        sizes = nec_standard_a()
        if not (self.next_size and comes_in_sizes) or most > sizes[-1]:
            return most
        return next(size for size in sizes if size >= most * (1 - 1e-9))


def transformer_limit(
    side: str, v_hv_kv: float, v_side_kv: float, uk_pct: float, i_side_a: float, fuse: bool, both: bool, supervised: bool
) -> CodeLimit | None:  # fmt: skip
    """The limit of a device on one side ("primary", "secondary") of a transformer; None where the code has none for such a case.

    Parameters
    ----------
    v_hv_kv, v_side_kv : float
        Higher voltage of the transformer, and that of the side of the device.
    i_side_a : float
        Rated current at that side.
    fuse : bool
        A fuse; else a breaker.
    both : bool
        Whether devices stand on both sides.
    supervised : bool
        Whether qualified people alone service the place.
    """
    if v_hv_kv <= 1.0:
        return _low_voltage(side, i_side_a, both)
    if not both and supervised:
        row = _row("450.3(A)", "supervised, primary only", "any")
    elif not both or uk_pct > MOST_UK_PCT:
        return None
    else:
        row = _row("450.3(A)", "supervised" if supervised else "any", "up to 6 %" if uk_pct <= 6.0 else "over 6 to 10 %")
    if side == "primary":
        column = "primary_fuse_pct" if fuse else "primary_breaker_pct"
    elif v_side_kv > 1.0:
        column = "secondary_over_1000V_fuse_pct" if fuse else "secondary_over_1000V_breaker_pct"
    else:
        column = "secondary_up_to_1000V_pct"
    if not row[column]:
        return None
    return CodeLimit(float(row[column]), row["note"] == "next higher standard size", f"{row['location']}, impedance {row['impedance']}")


def _low_voltage(side: str, i_a: float, both: bool) -> CodeLimit | None:
    if both:
        row = _row("450.3(B)", f"primary and secondary, secondary {'9 A or more' if side == 'primary' or i_a >= 9 else 'under 9 A'}", "any")
        if side == "secondary":
            return CodeLimit(float(row["secondary_up_to_1000V_pct"]), i_a >= 9, row["location"])
        return CodeLimit(float(row["primary_breaker_pct"]), next_size=False, told="primary and secondary")
    if side == "secondary":
        return None
    row = _row("450.3(B)", f"primary only, {'under 2 A' if i_a < 2 else 'under 9 A' if i_a < 9 else 'current 9 A or more'}", "any")
    return CodeLimit(float(row["primary_breaker_pct"]), row["note"] == "next higher standard size", row["location"])


def _row(table: str, location: str, impedance: str) -> dict[str, str]:
    found = rows("nec_450_3_transformer_ocpd.csv")
    return next(r for r in found if r["table"].startswith(table) and r["location"] == location and r["impedance"] == impedance)


def motor_limit(synchronous: bool, fuse: bool) -> CodeLimit:
    """The limit of the device before a motor: an inverse-time breaker, or a fuse, of which the lesser limit counts, that of one with time delay."""
    kind = "synchronous" if synchronous else "ac polyphase other than wound rotor"
    row = next(r for r in rows("nec_430_52_motor_ocpd.csv") if r["motor_type"].startswith(kind))
    percent = float(row["dual_element_fuse_pct" if fuse else "inverse_time_breaker_pct"])
    told = f"a fuse with time delay; without it {row['nontime_delay_fuse_pct']} %" if fuse else "an inverse-time breaker"
    return CodeLimit(percent, next_size=True, told=told)
