"""Spot checks of IEEE 1584-2018 over all configurations and voltages, derived apart from the code, in decimals of forty digits.

The table is our own: only two points of one configuration are published. `python -m tests.published.test_arc_flash_spots` writes it anew.
"""

import csv
import io
import itertools
from decimal import Decimal as D
from decimal import getcontext
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.core.catalogue.tables import arc_flash_coefficients
from northfell.core.studies.arc_flash import equations as eq

TABLE = Path(__file__).parent / "data" / "arc_flash_spots.csv"
COLUMNS = ("configuration", "voc_kv", "ibf_ka", "gap_mm", "height_mm", "width_mm", "depth_mm", "distance_mm", "t_ms",
           "i_arc_ka", "i_arc_min_ka", "energy_j_cm2", "energy_min_j_cm2", "boundary_mm")  # fmt: skip
LEVELS = ("600", "2700", "14300")
getcontext().prec = 40


def lg(x: D) -> D:
    return x.ln() / D(10).ln()


def row_of(numbers: list[float]) -> list[D]:
    return [D(repr(n)) for n in numbers]


def polynomial(k: list[D], x: D) -> D:
    return sum((c * x**p for p, c in zip(range(len(k) - 1, -1, -1), k, strict=True)), D(0))


def between(x: tuple[D, D, D], v: D) -> D:
    """Lagrange's two straight lines, weighed against each other below 2.7 kV."""
    a = x[1] + (x[1] - x[0]) * (v - D("2.7")) / D("2.1")
    b = x[2] + (x[2] - x[1]) * (v - D("14.3")) / D("11.6")
    return b if v > D("2.7") else b + (a - b) * (D("2.7") - v) / D("2.1")


def equivalent(configuration: str, v: D, height: D, width: D, depth: D) -> tuple[D, bool]:
    """EES [in], and whether the box is shallow."""
    a, b = {"VCB": (D(4), D(20)), "VCBB": (D(10), D(24)), "HCB": (D(10), D(22))}[configuration]
    shallow = v < D("0.6") and height < 508 and width < 508 and depth <= D("203.2")

    def one(mm: D, straight: bool) -> D:
        if mm < 508:
            return mm * D("0.03937") if shallow else D(20)
        if mm <= D("660.4"):
            return mm * D("0.03937")
        if straight:
            return mm * D("0.03937") if mm <= D("1244.6") else D(49)
        return (D("660.4") + (min(mm, D("1244.6")) - D("660.4")) * (v + a) / b) / D("25.4")

    return (one(height, configuration == "VCB") + one(width, False)) / 2, shallow


def derived(configuration: str, v: D, ibf: D, gap: D, box: tuple[D, D, D], distance: D, t: D) -> tuple[D, D, D, D, D]:
    """Arcing current, the reduced one, both energies and the boundary with the full current."""
    t1, t2 = (arc_flash_coefficients()[name][configuration] for name in ("table_1_arcing_current", "table_2_variation_factor"))
    levels = []
    for level in LEVELS:
        k = row_of(t1[level])
        levels.append(D(10) ** (k[0] + k[1] * lg(ibf) + k[2] * lg(gap)) * polynomial(k[3:], ibf))
    low = v <= D("0.6")

    def final(currents: list[D]) -> D:
        if not low:
            return between((currents[0], currents[1], currents[2]), v)
        return 1 / ((D("0.6") / v) ** 2 * (1 / currents[0] ** 2 - (D("0.36") - v**2) / (D("0.36") * ibf**2))).sqrt()

    less = 1 - polynomial(row_of(t2), v) / 2
    full = final(levels)
    cf = D(1)
    if configuration in ("VCB", "VCBB", "HCB"):
        ees, shallow = equivalent(configuration, v, *box)
        b = row_of(arc_flash_coefficients()["table_7_enclosure_correction"]["shallow" if shallow else "typical"][configuration])
        cf = polynomial(b, ees) ** (-1 if shallow else 1)

    def exponents(reduced: D) -> list[tuple[D, D]]:
        found = []
        for level, i in zip(LEVELS[:1] if low else LEVELS, levels, strict=False):
            k = row_of(arc_flash_coefficients()["tables_3_4_5_energy_and_boundary"][level][configuration])
            k3, k13 = (i, reduced * full) if low else (reduced * i, reduced * i)
            common = k[0] + k[1] * lg(gap) + k[2] * k3 / (polynomial(k[3:10], ibf) * ibf) + k[10] * lg(ibf) + k[12] * lg(k13) - lg(cf)
            found.append((common, k[11]))
        return found

    def energy(reduced: D) -> D:
        each = [D("12.552") / 50 * t * D(10) ** (common + k12 * lg(distance)) for common, k12 in exponents(reduced)]
        return each[0] if low else between((each[0], each[1], each[2]), v)

    reach = [D(10) ** ((common - lg(20 / t)) / -k12) for common, k12 in exponents(D(1))]
    return full, full * less, energy(D(1)), energy(less), reach[0] if low else between((reach[0], reach[1], reach[2]), v)


def spots() -> list[tuple[D | str, ...]]:
    """All configurations at all voltages, with small and large currents; boxes from shallow to larger than was tested."""
    made: list[tuple[D | str, ...]] = []
    sizes = ("355.6 304.8 203.2", "508 508 508", "660.4 660.4 660.4", "914.4 914.4 914.4", "1143 762 762", "1300 1300 900")
    boxes = [tuple(D(x) for x in size.split()) for size in sizes]
    turn = itertools.cycle(boxes)
    for configuration in ("VCB", "VCBB", "HCB", "VOA", "HOA"):
        for v, gap, distance in (("0.208", 25, 457), ("0.4", 25, 457), ("0.48", 32, 610), ("0.6", 32, 610), ("0.601", 32, 610), ("1", 104, 910),
                                 ("2.7", 104, 910), ("4.16", 104, 914), ("6.6", 152, 910), ("11", 152, 910), ("14.3", 152, 910), ("15", 152, 910)):  # fmt: skip
            for ibf in ("2", "18", "55"):
                made.append((configuration, D(v), D(ibf), D(gap), *next(turn), D(distance), D(200)))
    return made


def with_results(spot: tuple) -> list[str]:
    found = derived(spot[0], spot[1], spot[2], spot[3], (spot[4], spot[5], spot[6]), spot[7], spot[8])
    return [str(x) for x in spot] + [f"{x:.10g}" for x in found]


def kept() -> list[dict[str, str]]:
    return list(csv.DictReader(TABLE.read_text().splitlines()))


def test_the_table_is_what_was_derived():
    assert [list(row.values()) for row in kept()] == [with_results(spot) for spot in spots()]


@pytest.mark.parametrize("row", kept(), ids=lambda row: f"{row['configuration']}-{row['voc_kv']}-{row['ibf_ka']}")
def test_the_equations_agree(row):
    voc, ibf, gap, height, width, depth, distance, t, i_arc, i_min, e, e_min, reach = (float(row[c]) for c in COLUMNS[1:])
    box = eq.Enclosure(row["configuration"], gap, height, width, depth)
    factor = 1 - 0.5 * eq.variation_factor(row["configuration"], voc)
    assert eq.arcing_current_ka(voc, ibf, box) == pytest.approx(i_arc, rel=1e-8)
    assert factor * eq.arcing_current_ka(voc, ibf, box) == pytest.approx(i_min, rel=1e-8)
    assert eq.incident_energy_j_cm2(voc, ibf, box, distance, t) == pytest.approx(e, rel=1e-8)
    assert eq.incident_energy_j_cm2(voc, ibf, box, distance, t, factor) == pytest.approx(e_min, rel=1e-8)
    assert eq.boundary_mm(voc, ibf, box, t) == pytest.approx(reach, rel=1e-8)


configurations = st.sampled_from(["VCB", "VCBB", "HCB", "VOA", "HOA"])


@given(configurations, st.floats(2, 60), st.floats(25, 76), st.sampled_from([0.6, 2.7]))
def test_currents_energies_and_boundaries_are_continuous_where_the_voltage_rules_meet(configuration, ibf, gap, meets):
    """Both with the full current: with the reduced one the two rules of the standard step at 600 V, as its examples have them."""
    box, step = eq.Enclosure(configuration, gap, 600.0, 600.0, 600.0), 1e-9
    for of in (
        lambda v: eq.arcing_current_ka(v, ibf, box),
        lambda v: eq.incident_energy_j_cm2(v, ibf, box, 610.0, 200.0),
        lambda v: eq.boundary_mm(v, ibf, box, 200.0),
    ):
        assert of(meets - step) == pytest.approx(of(meets + step), rel=1e-6)


@given(configurations, st.floats(0.208, 15), st.floats(1, 60), st.floats(19.05, 76.2), st.floats(305, 2000), st.floats(1, 2000), st.floats(1.01, 3))
def test_energy_grows_evenly_with_time_and_falls_with_distance(configuration, voc, ibf, gap, distance, t, more):
    box = eq.Enclosure(configuration, gap, 600.0, 600.0, 600.0)
    e = eq.incident_energy_j_cm2(voc, ibf, box, distance, t)
    assert eq.incident_energy_j_cm2(voc, ibf, box, distance, more * t) == pytest.approx(more * e)
    assert eq.incident_energy_j_cm2(voc, ibf, box, more * distance, t) < e
    assert eq.boundary_mm(voc, ibf, box, more * t) > eq.boundary_mm(voc, ibf, box, t)


@given(configurations, st.floats(0.208, 15), st.floats(1, 30), st.floats(19.05, 76.2), st.floats(1.05, 2))
def test_more_current_is_more_arc_and_more_energy(configuration, voc, ibf, gap, more):
    box = eq.Enclosure(configuration, gap, 600.0, 600.0, 600.0)
    assert eq.arcing_current_ka(voc, ibf, box) < eq.arcing_current_ka(voc, more * ibf, box)
    assert eq.incident_energy_j_cm2(voc, ibf, box, 610.0, 100.0) < eq.incident_energy_j_cm2(voc, more * ibf, box, 610.0, 100.0)


if __name__ == "__main__":
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows(with_results(spot) for spot in spots())
    TABLE.write_text(out.getvalue())
