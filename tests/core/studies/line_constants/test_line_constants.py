"""Matrices of lines: a worked example to every figure, printed matrices of a published feeder, the integral itself, and what must hold of any line."""

import csv
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.line_data import Geometry, Wire
from northfell.core.model.network import Network
from northfell.core.model.own_entries import OwnEntry, entry_breaches
from northfell.core.model.settings import ProjectSettings
from northfell.core.network import compile_network
from northfell.core.network.lines import Hung, constants_of, earth_return
from northfell.core.network.lines.places import bundled, skin_effect_ohm_per_m
from northfell.core.studies.line_constants import LineConstantsSettings, explain, of_geometry, run, wires_of

KM, MILE, FT = 1e3, 1609.344, 0.3048
PHASE = Wire(d_mm=14.0, gmr_mm=5.303, r_ohm_per_km=0.276)
NEUTRAL = Wire(d_mm=9.0, gmr_mm=3.265, r_ohm_per_km=0.653)
WIRES = {"phase": PHASE, "neutral": NEUTRAL}
WORKED = [("a", -1.1, 10.4, "phase"), ("b", 0.2, 10.9, "phase"), ("c", 1.2, 10.4, "phase"), ("n", 0.35, 8.7, "neutral")]


def line(places, **more) -> Geometry:
    rows = [{"name": n, "x_m": x, "y_m": y, "wire": w, "fate": "earthed" if n == "n" else "kept"} for n, x, y, w in places]
    return Geometry.model_validate({"conductors": rows, **more})


def made(places=WORKED, wires=WIRES, f_hz=50.0, **settings):
    more = {k: settings.pop(k) for k in ("rho_ohm_m", "order", "screens") if k in settings}
    return of_geometry("Own", line(places, **more), wires, LineConstantsSettings(**settings), f_hz)


def printed(name: str) -> dict[tuple[str, str], complex]:
    with (Path(__file__).parents[3] / "published" / "worked_line.csv").open(encoding="utf-8") as file:
        rows = csv.DictReader(row for row in file if not row.startswith("#"))
        return {(r["row"], r["column"]): complex(float(r["re"]), float(r["im"])) for r in rows if r["matrix"] == name}


def holds(name: str, names, matrix, rel=2e-8) -> None:
    """Every figure of a printed matrix; small ones against the largest."""
    expected = printed(name)
    whole = max(abs(v) for v in expected.values())
    assert len(expected) == len(names) ** 2
    for (row, column), value in expected.items():
        assert abs(complex(matrix[names.index(row), names.index(column)]) - value) <= rel * whole, (name, row, column)


def test_the_worked_line_step_by_step():
    one = made(rho_ohm_m=150.0).constants
    for name, matrix in (("S", one.s_m), ("k", one.k), ("theta", one.theta), ("P", one.pq.real), ("Q", one.pq.imag)):
        holds(name, "abcn", matrix)
    holds("Z_primitive_full", "abcn", one.z_ohm_per_m * KM)
    holds("Z_abc_full", "abc", one.reduced_ohm_per_m * KM)
    holds("Z_012_full", "012", one.in_sequences(one.reduced_ohm_per_m) * KM)
    holds("potential", "abcn", one.potential_m_per_f * 1e-9)
    holds("C_abcn", "abcn", one.c_f_per_m * 1e9)
    holds("C_abc", "abc", one.reduced_c_f_per_m * 1e9)
    holds("B_abc", "abc", 2 * math.pi * 50 * one.reduced_c_f_per_m * 1e9)
    holds("potential_abc", "abc", np.linalg.inv(one.reduced_c_f_per_m) * 1e-9)
    holds("C_012", "012", one.in_sequences(one.reduced_c_f_per_m) * 1e9)
    for method, name in (("first terms", "modified"), ("complex depth", "complex_depth")):
        other = made(rho_ohm_m=150.0, earth=method).constants
        holds(f"Z_primitive_{name}", "abcn", other.z_ohm_per_m * KM)
        holds(f"Z_abc_{name}", "abc", other.reduced_ohm_per_m * KM)


SPACING = {"b": (0.0, 28.0), "a": (2.5, 28.0), "c": (7.0, 28.0), "n": (4.0, 24.0)}


def test_printed_matrices_of_the_13_node_feeder_from_shipped_wires():
    """Configurations 601 (overhead) and 606 (concentric neutral) of the IEEE 13-node feeder; the print rounds, and takes 7.93402 for 7.93401."""
    wires = wires_of(Network(name="x"))
    places = [(n, SPACING[n][0] * FT, SPACING[n][1] * FT, "Crag ACSR 556.5 kcmil 26/7" if n != "n" else "Crag ACSR 4/0 AWG 6/1") for n in "abcn"]
    one = made(places, wires, 60.0, earth="first terms")
    z = one.z_ohm_per_m * MILE
    for (i, j), value in {(0, 0): 0.3465 + 1.0179j, (0, 1): 0.156 + 0.5017j, (0, 2): 0.158 + 0.4236j, (1, 1): 0.3375 + 1.0478j, (1, 2): 0.1535 + 0.3849j,
                          (2, 2): 0.3414 + 1.0348j}.items():  # fmt: skip
        assert abs(z[i, j] - value) < 1.5e-4
    b = 2 * math.pi * 60 * one.c_f_per_m * MILE * 1e6
    for (i, j), value in {(0, 0): 6.2998, (0, 1): -1.9958, (0, 2): -1.2595, (1, 1): 5.9597, (1, 2): -0.7417, (2, 2): 5.6386}.items():
        assert b[i, j] == pytest.approx(value, rel=1e-3)
    cable = [(n, x * FT, -1.0, "Tarn Al 250 kcmil one-third neutral") for n, x in (("a", -0.5), ("b", 0.0), ("c", 0.5))]
    one = made(cable, wires, 60.0)
    z = one.z_ohm_per_m * MILE
    for (i, j), value in {(0, 0): 0.7982 + 0.4463j, (0, 1): 0.3192 + 0.0328j, (0, 2): 0.2849 - 0.0143j, (1, 1): 0.7891 + 0.4041j}.items():
        assert abs(z[i, j] - value) < 2e-4
    b = 2 * math.pi * 60 * one.c_f_per_m * MILE * 1e6
    assert b[0, 0] == pytest.approx(96.8897, rel=2e-3)
    assert b[0, 1] == 0.0


def test_the_own_cable_and_a_tape_shield_by_hand():
    core = Wire(build="concentric neutral", d_mm=14.2, gmr_mm=5.4, r_ohm_per_km=0.265, strands=30, d_strand_mm=1.2, r_strand_ohm_per_km=20.4,
                d_outside_mm=30.2, eps_r=2.3)  # fmt: skip
    one = made([(n, x, -0.9, "core") for n, x in (("a", -0.07), ("b", 0.0), ("c", 0.07))], {"core": core}, 50.0)
    z = one.z_ohm_per_m * KM
    assert abs(z[0, 0] - (0.47380 + 0.21235j)) < 2e-5
    assert abs(z[1, 1] - (0.47388 + 0.18837j)) < 2e-5
    assert abs(z[0, 1] - (0.19393 + 0.04199j)) < 2e-5
    assert abs(z[0, 2] - (0.18021 + 0.01381j)) < 2e-5
    assert 2 * math.pi * 50 * one.c_f_per_m[0, 0] * 1e9 == pytest.approx(56.870, rel=1e-4)
    assert len(one.assumed) == 1  # of the strands' own radius
    tape = Wire(build="tape shield", d_mm=10.0, gmr_mm=3.9, r_ohm_per_km=0.5, d_shield_mm=22.35, t_tape_mm=0.127, eps_r=2.3)
    shield = made([("a", 0.0, -1.0, "tape"), ("n", 0.0762, -1.0, "neutral")], {"tape": tape, **WIRES}, 60.0).constants
    assert shield.names == ("a", "a screen", "n")
    screen = shield.conductors[1]
    assert screen.gmr_m == pytest.approx((22.35 - 0.127) / 2e3)
    assert screen.r_ohm_per_m.real * MILE == pytest.approx(18.826 / (22.35 / 25.4 * 5.0), rel=2e-3)  # of print: thickness in mil


@pytest.mark.parametrize(("k", "theta", "p", "q"), [(0.05, 0.3, 0.38203049, 1.81699055), (0.8, 1.0, 0.29333506, 0.52870039),
                                                    (2.5, 0.5, 0.16817333, 0.23647706), (5.0, 0.0, 0.10739705, 0.13648778)])  # fmt: skip
def test_the_series_at_points_that_were_computed_apart(k, theta, p, q):
    assert complex(earth_return.series(k, theta)) == pytest.approx(complex(p, q), abs=6e-9)


@settings(max_examples=60)
@given(st.floats(0.01, 12.0), st.floats(0.0, 1.5))
def test_the_series_is_the_integral(k, theta):
    assert abs(complex(earth_return.series(k, theta)) - earth_return.by_integral(k, theta)) < 1e-7


@st.composite
def hung(draw) -> list[Hung]:
    n = draw(st.integers(2, 6))
    places = [(3.0 * i + draw(st.floats(-1, 1)), 8 + draw(st.floats(0, 6))) for i in range(n)]
    made = []
    for i, (x, y) in enumerate(places):
        radius = draw(st.floats(0.003, 0.02))
        made.append(Hung(f"w{i}", x, y, complex(draw(st.floats(5e-5, 3e-3))), 0.75 * radius, radius, "earthed" if i == n - 1 else "kept"))
    return made


@settings(max_examples=60)
@given(hung(), st.sampled_from(earth_return.EARTH_METHODS), st.floats(16, 2500), st.floats(10, 3000))
def test_of_any_line_matrices_are_symmetric_lossy_and_positive_and_elimination_is_grounding(conductors, method, f_hz, rho):
    one = constants_of(conductors, f_hz, rho, method)
    z, c = one.z_ohm_per_m, one.c_f_per_m
    assert np.allclose(z, z.T, rtol=1e-12)
    assert np.linalg.eigvalsh(z.real).min() > 0
    assert np.linalg.eigvalsh(z.imag).min() > 0
    assert np.linalg.eigvalsh(c).min() > 0
    assert (c - np.diag(np.diag(c)) <= 1e-18).all()
    # the voltage drop with the earthed conductor at no voltage, its current solved for beside those of the others
    current = np.arange(1, len(conductors)) + 0.5j
    own = np.linalg.solve(z[-1:, -1:], -(z[-1:, :-1] @ current))
    assert np.allclose(z[:-1] @ np.concatenate([current, own]), one.reduced_ohm_per_m @ current, rtol=1e-9)
    assert np.allclose(np.linalg.inv(np.linalg.inv(c))[:-1, :-1], one.reduced_c_f_per_m, rtol=1e-9)


def test_an_open_wire_carries_nothing_and_takes_the_voltage_of_the_field():
    rows = [{"name": n, "x_m": x, "y_m": y, "wire": w, "fate": "open" if n == "n" else "kept"} for n, x, y, w in WORKED]
    one = of_geometry("Own", Geometry.model_validate({"conductors": rows}), WIRES, LineConstantsSettings(), 50.0).constants
    three = made(WORKED[:3]).constants
    assert np.allclose(one.reduced_ohm_per_m, three.reduced_ohm_per_m)
    assert np.allclose(one.reduced_c_f_per_m, three.reduced_c_f_per_m)
    earthed = made().constants
    assert (np.diag(earthed.reduced_c_f_per_m) > np.diag(one.reduced_c_f_per_m)).all()


def test_transposition_leaves_no_coupling_of_the_sequences_and_two_circuits_couple_in_zero_sequence():
    both = [*WORKED[:3], *((f"{n}2", x + 6.0, y, w) for n, x, y, w in WORKED[:3])]
    as_hung, transposed = made(both), made(both, order="transposed")
    s = as_hung.constants.in_sequences(as_hung.z_ohm_per_m) * KM
    t = transposed.constants.in_sequences(transposed.z_ohm_per_m) * KM
    assert transposed.circuit_names == ("1", "2")
    assert t[0, 0] == pytest.approx(s[0, 0])  # means keep the sequences' own impedances
    assert t[1, 1] == pytest.approx(s[1, 1])
    assert t[0, 3] == pytest.approx(s[0, 3])
    assert abs(t[0, 3]) > 0.2  # mutual, in zero sequence
    rest = t.copy()
    rest[np.ix_([0, 3], [0, 3])] = 0
    np.fill_diagonal(rest, 0)
    assert np.abs(rest).max() < 1e-12
    assert abs(s[1, 4]) > 1e-4  # not transposed


def test_bundles_and_skin_effect():
    r = 0.014
    assert bundled(1, 0.4, r) == r
    assert bundled(2, 0.4, r) == pytest.approx(math.sqrt(r * 0.4))
    assert bundled(3, 0.4, r) == pytest.approx((r * 0.4**2) ** (1 / 3))
    assert bundled(4, 0.4, r) == pytest.approx(1.0905 * (r * 0.4**3) ** 0.25, rel=1e-4)
    direct, w = 5e-5, 2 * math.pi
    slow = skin_effect_ohm_per_m(direct, 0.01, 0.01)
    assert slow.real == pytest.approx(direct, rel=1e-6)
    assert slow.imag == pytest.approx(w * 0.01 * 4e-7 * math.pi / (8 * math.pi), rel=1e-4)  # μ0/8π inside
    fast = skin_effect_ohm_per_m(direct, 0.01, 1e6)
    assert fast.real == pytest.approx(fast.imag, rel=0.05)
    # with an even current the GMR says the same as the internal inductance
    wire = {"phase": Wire(d_mm=20.0, r_ohm_per_km=0.05, r_dc_ohm_per_km=0.05)}
    by_gmr, by_skin = (made([("a", 0.0, 10.0, "phase")], wire, 50.0, internal=way, frequency_hz=0.01).z_ohm_per_m[0, 0] for way in ("GMR", "skin effect"))
    assert by_skin == pytest.approx(by_gmr, rel=1e-6)


def network(**settings) -> Network:
    entries = [OwnEntry(name="phase", kind="wire", values=PHASE.model_dump(exclude_defaults=True)),
               OwnEntry(name="neutral", kind="wire", values=NEUTRAL.model_dump(exclude_defaults=True)),
               OwnEntry(name="Own", kind="geometry", values=line(WORKED, rho_ohm_m=150.0).model_dump(exclude_defaults=True)),
               OwnEntry(name="Broken", kind="geometry", values=line([("a", 0.0, 9.0, "no such wire")]).model_dump(exclude_defaults=True))]  # fmt: skip
    assert not [breach for e in entries for breach in entry_breaches(e)]
    made = ProjectSettings.model_validate({"line_constants": settings} if settings else {})
    return Network(name="x").model_copy(update={"entries": entries, "settings": made})


def test_a_geometry_that_lacks_something_takes_no_others_result():
    found = run(compile_network(network(), "Normal"))
    assert [one.name for one in found.made] == ["Own"]
    assert any("Geometry Broken, conductor a: wire is “no such wire”" in m for m in found.messages)
    z, y, sequence, coupling, pairs, shares = found.tables()
    assert len(z.rows) == 16 + 9
    assert [len(t.rows) for t in (y, sequence, coupling, pairs, shares)] == [25, 1, 9, 16, 3]
    first = next(r for r in z.records() if (r["reduction"], r["row"], r["column"]) == ("after", "a", "b"))
    assert first["r_ohm_per_km"] == pytest.approx(0.11540354, rel=1e-7)
    assert first["x_ohm_per_mile"] == pytest.approx(0.29149975 * 1.609344, rel=1e-7)
    one = next(sequence.records())
    assert one["z1_ohm_per_km"] == pytest.approx(complex(0.276019767, 0.355904677), rel=1e-8)
    assert one["z0_ohm_per_km"] == pytest.approx(complex(0.626304797, 1.20667945), rel=1e-8)
    assert one["c0_uf_per_km"] == pytest.approx(0.00485174745, rel=1e-8)


@pytest.mark.parametrize("earth", earth_return.EARTH_METHODS)
def test_the_working_ends_at_the_figure_of_the_table(earth):
    one = run(compile_network(network(earth=earth), "Normal")).of("Own")
    for row, column, stage, value in (("a", "a", "before", one.constants.z_ohm_per_m[0, 0]), ("a", "n", "before", one.constants.z_ohm_per_m[0, 3]),
                                      ("a", "c", "after", one.constants.reduced_ohm_per_m[0, 2])):  # fmt: skip
        working = explain(one, row, column, stage)
        assert working.steps[-1].value == pytest.approx(value * KM, rel=1e-12)
        assert "Of the earth" in working.to_text()
    with pytest.raises(NotFound):
        explain(one, "n", "a", "after")


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"y_m": 0.001}, "above the ground or below it"),
        ({"x_m": 0.205, "y_m": 10.9}, "more than 14 mm, the radii of a and b together"),
        ({"bundle": 3}, "spacing_mm"),
        ({"y_m": -1.0}, "above the ground for what is kept"),
    ],
)
def test_places_that_cannot_be_are_refused_with_the_place(change, told):
    rows = [{"name": n, "x_m": x, "y_m": y, "wire": w} for n, x, y, w in WORKED]
    rows[0] |= change
    with pytest.raises(NetworkRefused) as refused:
        of_geometry("Own", Geometry.model_validate({"conductors": rows}), WIRES, LineConstantsSettings(), 50.0)
    assert told in str(refused.value)
    assert "Own" in str(refused.value)


def test_wires_that_cannot_be_are_refused():
    cases = {
        "d_mm": Wire(r_ohm_per_km=0.1),
        "r_ohm_per_km": Wire(d_mm=10.0),
        "at most the radius": Wire(d_mm=10.0, r_ohm_per_km=0.1, gmr_mm=6.0),
        "more than the conductor with the tape": Wire(build="tape shield", d_mm=10.0, r_ohm_per_km=0.1, d_shield_mm=9.0, t_tape_mm=0.1),
    }
    for told, wire in cases.items():
        with pytest.raises(NetworkRefused, match=told):
            made([("a", 0.0, 9.0, "w")], {"w": wire})
    wrong = OwnEntry(name="W", kind="geometry", values={"conductors": [{"name": "a", "x_m": 0.0, "y_m": "high", "wire": "w"}]})
    (refusal,) = entry_breaches(wrong)
    assert (refusal.field, refusal.got) == ("y_m", "high")
    assert "Catalogue entry W" in refusal.where
