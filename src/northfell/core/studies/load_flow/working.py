"""How a figure of the load flow came about, derived again from the solved voltages with the study's own equations."""

import cmath
import math

import numpy as np

from northfell.core.errors import NotFound
from northfell.core.model.elements import Bus, Element, ThreeWindingTransformer
from northfell.core.model.network import title_of
from northfell.core.network import branch_two_ports
from northfell.core.quantities import figure as f
from northfell.core.studies.load_flow.solved import Solved
from northfell.core.studies.load_flow.totals import taps
from northfell.core.working import Equation, Working

QUANTITIES = ("v_pu", "flow", "loading_pct")
SOURCE = "Load flow in per unit, nodal power balance"
VOLTAGE = Equation("U", "|u|·Un", lambda v_pu, un_kv: abs(v_pu) * un_kv, {"|u|": "v_pu", "Un": "un_kv"}, "kV")
LOSSES = Equation("ΔS", "S1 + S2", lambda s1, s2: s1 + s2, {"S1": "s1", "S2": "s2"}, "MVA", "sum over the terminals")
CURRENT = Equation(
    "I", "1000·|S| / (√3·U)", lambda s_mva, u_kv: 1000 * abs(s_mva) / math.sqrt(3) / u_kv, {"|S|": "s_mva", "U": "u_kv"}, "A", "S in MVA, U in kV"
)
AT_RATED = Equation(
    "S", "√3·Ur·I", lambda ur_kv, i_ka: math.sqrt(3) * ur_kv * i_ka, {"Ur": "ur_kv", "I": "i_ka"}, "MVA", "a winding is heated by its current; I in kA"
)
LOADING = Equation("loading", "100·carries / rating", lambda carries, rating: 100 * carries / rating, {"carries": "carries", "rating": "rating"}, "%")


def explain_flow(flow: Solved, element: Element, quantity: str) -> Working:
    """The working of a bus voltage, of what an element carries, or of its loading.

    Raises
    ------
    NotFound
        If the element has no such figure in this state.
    """
    if quantity == "v_pu" and isinstance(element, Bus):
        return _voltage(flow, element)
    power = flow.terminal_power.get(element.id)
    if power is None or not all(cmath.isfinite(s) for s in power):
        raise NotFound(f"{title_of(element)} carries nothing in this state.")
    w = Working(f"{'Loading' if quantity == 'loading_pct' else 'Flow'} of {title_of(element)}, state {flow.net.state}")
    if quantity == "loading_pct":
        return _loading(flow, element, w)
    s = _terminal_powers(flow, element, w)
    w.result, w.unit = abs(s), "MVA"
    return w


def _voltage(flow: Solved, bus: Bus) -> Working:
    """The power balance at a bus: what flows into each element sums to nothing at the voltage found."""
    at = flow.net.topology.bus_index[bus.id]
    v = complex(flow.v[at])
    if cmath.isnan(v):
        raise NotFound(f"{title_of(bus)} is not fed in this state.")
    w = Working(f"Voltage of {title_of(bus)}, state {flow.net.state}")
    un = float(flow.net.v_nominal_kv[at])
    if math.isfinite(un):
        w.given("Un", "nominal voltage, the base", un, "kV", f"{title_of(bus)}, nominal voltage")
    w.given("ε", "largest mismatch at any bus", f"{flow.mismatch_mva:.1e}", "MVA", f"{flow.iterations} Newton steps")
    total = 0j
    for e in flow.net.elements.values():
        for terminal, bus_id in enumerate(e.buses):
            if bus_id == bus.id and e.id in flow.terminal_power and cmath.isfinite(flow.terminal_power[e.id][terminal]):
                s = complex(flow.terminal_power[e.id][terminal])
                total += s
                w.given("S", f"into {title_of(e)}", s, "MVA", "its own equations at the voltages found")
    w.step("Balance at the bus", "Σ S", "sum of the powers into all elements", "as above", _clean(total), "MVA", SOURCE, "Zero within the tolerance.")
    w.step("Voltage found", "U", "the value at which every bus balances", "Newton's method, starting flat", v, "p.u.", SOURCE)
    if math.isfinite(un):
        VOLTAGE.note(w, "Voltage", v_pu=v, un_kv=un)
    w.result, w.unit = abs(v), "p.u."
    return w


def _clean(total: complex) -> complex:
    """A balance that is zero to the last digits, without the noise of its sum."""
    return complex(round(total.real, 9) + 0.0, round(total.imag, 9) + 0.0)


def _terminal_powers(flow: Solved, e: Element, w: Working) -> complex:
    """Power into each terminal; of a branch by its π-equivalent. Returns that at the first."""
    rows = [i for i, branch in enumerate(flow.net.branches.ids) if branch == e.id]
    for bus_id in e.buses:
        w.given("U", f"voltage of {flow.net.name(bus_id)}", flow.voltage(bus_id), "p.u.", "load flow")
    if not rows:
        for terminal, s in zip(e.TERMINALS, flow.terminal_power[e.id], strict=True):
            w.step(f"Power at {terminal.replace('_', ' ')}", "S", "by its set points and voltage, or by what its bus needs", "", complex(s), "MVA", SOURCE)
        return complex(flow.terminal_power[e.id][0])
    b, base = flow.net.branches, flow.net.s_base_mva
    w.given("SB", "power base", base, "MVA", "project setting")
    sums = [0j] * len(e.TERMINALS)
    for row in rows:
        which = "" if len(rows) == 1 else f", branch {'-'.join('ABC'[int(t)] for t in b.terminals[row])} of its delta"
        z = w.step(f"Series impedance{which}", "z", "r + jx", _origin(e), complex(b.r_flow[row], b.x[row]), "p.u.", "per unit of SB and the bus voltages")
        ys = w.step(f"Shunt admittance{which}", "ys", "g + jb, half at each end", "", complex(b.g[row], b.b[row]), "p.u.")
        t = w.step(f"Ratio{which}", "t", "rated over nominal ratio, tap and phase shift", _tap(flow, e), complex(flow.ratio[row]), "")
        v = np.array([flow.v[b.from_bus[row]], flow.v[b.to_bus[row]]])
        ports = branch_two_ports(np.array([z.real]), np.array([z.imag]), np.array([ys.real]), np.array([ys.imag]), np.array([t]))[0]
        s = v * np.conj(ports @ v) * base
        w.step(f"Power into the first end{which}", "S1", "U1·[(1/z + ys/2)·U1/|t|² − U2/(z·t*)]*·SB", "as above", complex(s[0]), "MVA", "π-equivalent")
        w.step(f"Power into the second end{which}", "S2", "U2·[(1/z + ys/2)·U2 − U1/(z·t)]*·SB", "as above", complex(s[1]), "MVA", "π-equivalent")
        for end in (0, 1):
            sums[int(b.terminals[row, end])] += complex(s[end])
    if len(rows) > 1:
        for terminal, s_terminal in zip(e.TERMINALS, sums, strict=True):
            w.step(f"Power at {terminal.replace('_', ' ')}", "S", "sum of the branches at it", "", s_terminal, "MVA")
    if len(sums) == 2:
        LOSSES.note(w, "Losses", s1=sums[0], s2=sums[1])
    else:
        w.step("Losses", "ΔS", "sum over the terminals", "", sum(sums, 0j), "MVA")
    return sums[0]


def _origin(e: Element) -> str:
    return "from its pair impedances by way of the star" if isinstance(e, ThreeWindingTransformer) else f"data of {e.name}"


def _tap(flow: Solved, e: Element) -> str:
    found = taps(flow).get(e.id)
    return "" if found is None else f"tap at {found:.4g} %"


def _loading(flow: Solved, e: Element, w: Working) -> Working:
    one = flow.loading(e)
    if one.pct is None or one.carries is None or one.rating is None:
        raise NotFound(f"{title_of(e)} has no rating: its loading is not judged.")
    _terminal_powers(flow, e, w)
    w.given("rating", one.basis, one.rating, one.unit, f"data of {title_of(e)}")
    at = e.TERMINALS.index(one.terminal)
    s = flow.terminal_power[e.id][at]
    if one.unit == "A":
        bus = flow.net.topology.bus_index[e.buses[at]]
        u = abs(complex(flow.v[bus])) * float(flow.net.v_nominal_kv[bus])
        where = one.terminal.replace("_", " ")
        CURRENT.note(w, f"Current at {where}, which governs", s_mva=s, u_kv=u)
    elif one.by_current:
        bus = flow.net.topology.bus_index[e.buses[at]]
        u = abs(complex(flow.v[bus])) * float(flow.net.v_nominal_kv[bus])
        where = one.terminal.replace("_", " ")
        i = CURRENT.note(w, f"Current at {where}, which governs", s_mva=s, u_kv=u)
        rated = one.carries / (math.sqrt(3) * i / 1000)
        w.step("Rated voltage at the tap in use", "Ur", "of the side with the taps, 1 + tap/100 times that at the main tap", _tap(flow, e), rated, "kV")
        AT_RATED.note(w, "Power at rated voltage", ur_kv=rated, i_ka=i / 1000)
    else:
        w.step(f"Apparent power at {one.terminal.replace('_', ' ')}, which governs", "|S|", "√(P² + Q²)", f"√({f(s.real)}² + {f(s.imag)}²)", one.carries, "MVA")
    w.result = LOADING.note(w, "Loading", carries=one.carries, rating=one.rating)
    w.unit = "%"
    return w
