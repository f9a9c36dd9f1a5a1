"""Systems in the Common Data Format against a second derivation: the file read by its columns here, rectangular equations, a general root finder.

Phase shifters, parallel circuits, bus numbers with gaps, a reference angle other than 0, reactive limits on and off. The systems are
made up; no larger published system is at hand whose data could be established beyond doubt.
"""

import json
import math

import numpy as np
import pytest
from scipy.optimize import root

from northfell.cli import main

BASE = 100.0
BUSES = [  # number, type, angle, P load, Q load, P gen, Q gen, held, Q max, Q min, G, B
    (3, 3, 12.0, 0.0, 0.0, 0.0, 0.0, 1.04, 0.0, 0.0, 0.0, 0.0), (17, 2, 0.0, 30.0, 12.0, 60.0, 0.0, 1.03, 18.0, -10.0, 0.0, 0.0),
    (18, 0, 0.0, 55.0, 20.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.12), (205, 2, 0.0, 10.0, 5.0, 45.0, 0.0, 1.02, 40.0, -20.0, 0.0, 0.0),
    (206, 1, 0.0, 40.0, 15.0, 12.0, 4.0, 0.0, 0.0, 0.0, 0.01, 0.0), (990, 0, 0.0, 35.0, 18.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0),
    (1204, 2, 0.0, 0.0, 0.0, 0.0, 0.0, 1.05, 12.0, -6.0, 0.0, 0.0),
]  # fmt: skip
BRANCHES = [  # from, to, circuit, r, x, b, ratio, shift
    (3, 17, 1, 0.012, 0.06, 0.05, 0.0, 0.0), (3, 17, 2, 0.015, 0.07, 0.04, 0.0, 0.0), (17, 18, 1, 0.02, 0.09, 0.03, 0.0, 0.0),
    (3, 205, 1, 0.01, 0.08, 0.0, 0.97, -6.0), (205, 206, 1, 0.03, 0.1, 0.02, 0.0, 0.0), (18, 206, 1, 0.02, 0.12, 0.0, 1.02, 0.0),
    (206, 990, 1, 0.02, 0.08, 0.02, 0.0, 0.0), (18, 990, 1, 0.025, 0.11, 0.03, 0.0, 0.0), (990, 1204, 1, 0.0, 0.14, 0.0, 0.98, 4.0),
]  # fmt: skip


def cdf() -> str:
    lines = [f" 01/01/93 MADE UP             {BASE:6.1f} 1993 W Seven buses", "BUS DATA FOLLOWS"]
    for n, kind, angle, pl, ql, pg, qg, held, qmax, qmin, g, b in BUSES:
        lines.append(
            f"{n:4d} {'Bus ' + str(n):<12s} 1  1 {kind:2d} {held or 1.0:6.3f}{angle:7.2f}{pl:9.2f}{ql:10.2f}{pg:8.2f}{qg:8.2f} {0.0:7.2f} "
            f"{held:6.3f}{qmax:8.2f}{qmin:8.2f}{g:8.4f}{b:8.4f}    0"
        )
    lines += ["-999", "BRANCH DATA FOLLOWS"]
    for f, t, c, r, x, b, ratio, shift in BRANCHES:
        kind = 4 if shift else 1 if ratio else 0
        ratings = f"{0:5d} {0:5d} {0:5d} {0:4d} {0}"
        limits = "   0.0    0.0     0.0    0.0   0.0"
        lines.append(f"{f:4d} {t:4d}  1  1 {c} {kind}{r:10.5f}{x:11.5f}{b:10.5f}{ratings}  {ratio:6.4f} {shift:7.2f}{limits}")
    return "\n".join([*lines, "-999", "END OF DATA"]) + "\n"


def by_another_way(limited: dict[int, float]) -> np.ndarray:
    """Voltages with the sources in `limited` at that reactive power [Mvar] and all others holding their voltage."""
    at = {row[0]: i for i, row in enumerate(BUSES)}
    n = len(BUSES)
    y = np.zeros((n, n), complex)
    for f, t, _, r, x, b, ratio, shift in BRANCHES:
        tap = (ratio or 1.0) * np.exp(1j * math.radians(shift))
        a, c, series = at[f], at[t], 1 / complex(r, x)
        y[a, a] += (series + 0.5j * b) / abs(tap) ** 2
        y[c, c] += series + 0.5j * b
        y[a, c] -= series / np.conj(tap)
        y[c, a] -= series / tap
    for i, row in enumerate(BUSES):
        y[i, i] += complex(row[10], row[11])

    def left(u: np.ndarray) -> np.ndarray:
        v = u[:n] + 1j * u[n:]
        s = v * np.conj(y @ v) * BASE
        out = []
        for i, (number, kind, angle, pl, ql, pg, qg, held, *_rest) in enumerate(BUSES):
            if kind == 3:
                d = v[i] - held * np.exp(1j * math.radians(angle))
                out += [d.real, d.imag]
                continue
            q = limited.get(number, qg)
            out += [s[i].real - (pg - pl), abs(v[i]) - held if kind == 2 and number not in limited else s[i].imag - (q - ql)]
        return np.array(out)

    start = np.exp(1j * math.radians(12.0)) * np.ones(n)
    found = root(left, np.concatenate([start.real, start.imag]), tol=1e-13)
    assert found.success
    return found.x[:n] + 1j * found.x[n:]


@pytest.fixture
def solved(tmp_path, capsys):
    path = tmp_path / "seven.cdf"
    path.write_text(cdf())

    def run(*more: str):
        assert main(["run", "load_flow", str(path), *more]) == 0
        return json.loads(capsys.readouterr().out)

    return run


def voltages(answer) -> np.ndarray:
    columns = [c["name"] for c in answer["tables"]["buses"]["columns"]]
    v, angle = columns.index("v_pu"), columns.index("angle_deg")
    return np.array([row[v] * np.exp(1j * math.radians(row[angle])) for row in answer["tables"]["buses"]["rows"]])


def q_of(answer) -> dict[int, float]:
    columns = [c["name"] for c in answer["tables"]["sources"]["columns"]]
    return {int(row[columns.index("bus")]): row[columns.index("q_mvar")] for row in answer["tables"]["sources"]["rows"]}


def test_with_limits_off_every_source_holds_its_voltage(solved):
    answer = solved("--set", "reactive_limits=off")
    assert voltages(answer) == pytest.approx(by_another_way({}), abs=1e-8)
    q = q_of(answer)
    beyond = {row[0] for row in BUSES if row[1] == 2 and not row[9] <= q[row[0]] <= row[8]}
    assert beyond  # else the next test shows nothing
    assert len([m for m in answer["messages"] if "would have to give" in m]) == len(beyond)


def test_with_limits_on_the_sources_rest_at_them(solved):
    answer = solved()
    q = q_of(answer)
    limits = {row[0]: (row[9], row[8], row[7]) for row in BUSES if row[1] == 2}
    v = dict(zip([row[0] for row in BUSES], abs(voltages(answer)), strict=True))
    at_limit = {}
    for number, (low, high, held) in limits.items():
        assert low - 1e-5 <= q[number] <= high + 1e-5
        if abs(v[number] - held) > 1e-7:
            at_limit[number] = high if v[number] < held else low
            assert q[number] == pytest.approx(at_limit[number], abs=1e-5)
    assert at_limit
    assert voltages(answer) == pytest.approx(by_another_way(at_limit), abs=1e-8)
    assert [r[0] for r in [row[1:] for row in answer["tables"]["buses"]["rows"]]] == [str(row[0]) for row in BUSES]
    names = [row[1] for row in answer["tables"]["branches"]["rows"]]
    assert names[:2] == ["3-17-1", "3-17-2"]
