"""Ratings in the terms of their standards: what of a current is held against which rating."""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from numpy.typing import ArrayLike

from northfell.core.model.elements import Breaker, Bus, Contactor, Element, Fuse, Switch
from northfell.core.model.elements.switching import OF_IEC, OF_IEEE_LV, OF_IEEE_MV, TOTAL
from northfell.core.rules.consistency import above_its_voltage
from northfell.core.studies.duty import equations as eq
from northfell.core.studies.duty.currents import Currents, Meets, Step, fed_places, largest
from northfell.core.studies.duty.result import Duty
from northfell.core.studies.short_circuit import IEEE_SOURCE, LV_SOURCE, Floats, crest_multiplier, remote_multiplier, rms_factor, rms_multiplier

SERIES_SHARE = 0.9  # of the fault current that the device before must carry, for a rating of both together


@dataclass(frozen=True)
class Rules:
    """The rules of all equipment that carries fault currents, for the currents of a state."""

    currents: Currents

    def of_device(self, e: Element) -> Iterator[Duty]:
        """The duties of a breaker, fuse, contactor or switch."""
        places = self.currents.through(e)
        if not places:
            fed = fed_places(self.currents.net, e, self.currents.fed)
            yield Duty(e.id, "short circuit", basis="open in this state: it carries no fault current" if fed else "not fed in this state")
        elif isinstance(e, Breaker):
            yield from self._breaker(e, places)
        elif isinstance(e, Fuse) and above_its_voltage(self.currents.net.elements, e):
            yield Duty(e.id, "breaking", basis=f"it is rated {e.v_rated_kv:g} kV and stands in a network of more: no current is known that it breaks there")
        elif isinstance(e, Fuse):
            yield from self._fuse(e, places)
        elif isinstance(e, Contactor):
            yield from self._plain(e, "conditional short circuit", e.i_conditional_ka, "i_conditional_ka", places, "I″k against Iq", "IEC 60947-4-1")
        elif isinstance(e, Switch):
            yield from self._withstand(e, e, e.i_making_ka, "making and peak", "i_making_ka", places, "IEC 62271-103, IEC 60947-3")

    def _row(
        self, e: Element, quantity: str, rating: float, places: Sequence[Meets], of: Callable[[Meets], float], symbol: str, rated_by: str, basis: str,
        more: Callable[[Meets], tuple[Step, ...]] = lambda m: (),
    ) -> Duty:  # fmt: skip
        """The place at which most is asked for."""
        m = max(places, key=of)
        value = of(m)
        if any("lg" not in self.currents.known[p.bus] for p in places):
            basis += "; three-phase faults alone, earth faults are not known here"
        return Duty(e.id, quantity, rating, value, "kA", m.bus, m.fault, rated_by, basis, (self.currents.told(m, symbol, getattr(m, _FIELD[symbol])), *more(m)))

    def _other_school(self, e: Element, quantity: str, rated_by: str) -> Duty:
        other = "iec" if self.currents.ieee else "ieee"
        return Duty(e.id, quantity, rated_by=rated_by, basis=f"its rating is held against currents of the other school: choose school {other}")

    def _plain(
        self, e: Element, quantity: str, rating: float | None, field: str, places: Sequence[Meets], basis: str, rated_by: str
    ) -> Iterator[Duty]:  # fmt: skip
        yield empty(e, quantity, field, rated_by) if rating is None else self._row(e, quantity, rating, places, lambda m: m.ik, "I″k", rated_by, basis)

    # --- breakers

    def _breaker(self, e: Breaker, places: Sequence[Meets]) -> Iterator[Duty]:
        if e.rated_by is None or e.i_breaking_ka is None:
            yield empty(e, "breaking", "rated_by" if e.rated_by is None else "i_breaking_ka", e.rated_by or "")
            return
        if (e.rated_by in OF_IEC) == self.currents.ieee:
            yield self._other_school(e, "breaking", e.rated_by)
            return
        rating, with_ = self._series(e, e.i_breaking_ka, places)
        if e.rated_by == "IEC 62271-100":
            yield from self._iec_breaker(e, e.i_breaking_ka, rating, with_, places)
        elif e.rated_by == "IEC 60947-2":
            yield from self._low_voltage_breaker(e, rating, with_, places)
        elif e.rated_by in OF_IEEE_MV:
            yield self._close_and_latch(e, e.i_breaking_ka, places)
            yield self._interrupting(e, e.i_breaking_ka, places)
        elif e.rated_by in OF_IEEE_LV:
            tested_at = eq.TESTED_AT.get(e.rated_by) or eq.moulded_case_tested_at(e.i_breaking_ka)
            by = rms_multiplier if e.rated_by == "IEEE fused power breaker" else crest_multiplier
            yield self._multiplied(e, "interrupting", rating, places, tested_at, by, e.rated_by, with_)
        if e.i_short_time_ka is not None and not self.currents.ieee:
            yield self._short_time(e, e.i_short_time_ka, e.t_short_time_s, places, e.rated_by)

    def _iec_breaker(self, e: Breaker, isc: float, rating: float, with_: str, places: Sequence[Meets]) -> Iterator[Duty]:
        t_min, by, f_hz = self.currents.faults.settings.t_min_s, e.rated_by or "", self.currents.f_hz
        yield self._row(e, "breaking", rating, places, lambda m: m.ib, "Ib", by, f"Ib at {t_min:g} s against Isc{with_}")
        p = eq.rated_direct_part(e.dc_part_pct, t_min)
        basis = f"√(Ib² + idc²) against Isc·√(1 + 2p²), p = {100 * p:.3g} % {'as given' if e.dc_part_pct is not None else 'by the time constant of 45 ms'}"

        def direct(m: Meets) -> tuple[Step, ...]:
            total = math.hypot(m.ib, m.i_dc)
            method = self.currents.faults.method
            return ("Direct part", "idc", "√2·I″k·e^(−2π·f·t·R/X)", m.i_dc, "kA", method), ("With it", "Iasym", "√(Ib² + idc²)", total, "kA", method)

        asymmetrical = eq.asymmetrical_rating_ka(isc, p)
        yield self._row(e, "breaking, asymmetrical", asymmetrical, places, lambda m: math.hypot(m.ib, m.i_dc), "Ib", by, basis, direct)
        factor = eq.CREST_OF_IEC[f_hz]
        how = "as given" if e.i_making_ka is not None else f"{factor:g}·Isc by the standard"
        yield self._row(e, "making", e.i_making_ka or factor * isc, places, lambda m: m.ip, "ip", by, f"ip against the making current, {how}")

    def _low_voltage_breaker(self, e: Breaker, rating: float, with_: str, places: Sequence[Meets]) -> Iterator[Duty]:
        by = e.rated_by or ""
        yield self._row(e, "breaking", rating, places, lambda m: m.ik, "I″k", by, f"I″k against Icu{with_}")
        n = eq.low_voltage_making_factor(rating)
        how = "as given" if e.i_making_ka is not None else f"{n:g}·Icu, by its test power factor{with_} (factor unverified)"
        yield self._row(e, "making", e.i_making_ka or n * rating, places, lambda m: m.ip, "ip", by, f"ip against Icm, {how}")

    def _series(self, e: Breaker, own: float, places: Sequence[Meets]) -> tuple[float, str]:
        """The rating together with the device before it, where that is closed and carries the fault; with words."""
        if e.i_series_ka is None or e.series_with is None or e.series_with not in self.currents.closed:
            return own, ""
        worst, net = max(places, key=lambda m: m.ik), self.currents.net
        flows = self.currents.case.flows([worst.bus], worst.fault)
        (i,) = largest(flows.terminals[[net.terminals.of(e.series_with).start], 0], worst.fault)
        name, before = net.name(e.series_with), net.elements[e.series_with]
        if isinstance(before, Fuse) and above_its_voltage(net.elements, before):
            return own, f" alone: {name} stands in a network of more than its rated voltage"
        if i < SERIES_SHARE * worst.ik:
            return own, f" alone: {name} carries only {i / worst.ik:.0%} of the current"
        return e.i_series_ka, f" together with {name}, as tested by their maker"

    def _close_and_latch(self, e: Breaker, rated: float, places: Sequence[Meets]) -> Duty:
        by = e.rated_by or ""

        def ratio(m: Meets) -> tuple[Step, ...]:
            return (("X/R by separate reductions", "X/R", "", m.x_over_r, "", self.currents.faults.method),)

        if by == TOTAL:
            how = "total rms" + ("" if e.i_making_ka else f", {eq.OLD_RMS:g}·I by the standard")
            of = lambda m: float(rms_factor(m.x_over_r)) * m.ik  # noqa: E731
            return self._row(e, "close and latch", e.i_making_ka or eq.OLD_RMS * rated, places, of, "I″k", by, f"first-cycle {how}", ratio)
        factor = eq.OLD_CREST * e.k_factor if e.k_factor > 1 else eq.CREST_OF_IEEE[self.currents.f_hz]
        how = "crest" + ("" if e.i_making_ka else f", {factor:.3g}·I by the standard")
        return self._row(e, "close and latch", e.i_making_ka or factor * rated, places, lambda m: m.ip, "ip", by, f"first-cycle {how}", ratio)

    def _interrupting(self, e: Breaker, rated: float, places: Sequence[Meets]) -> Duty:
        by, total = e.rated_by or "", e.rated_by == TOTAL
        if e.t_break_s is None:
            return empty(e, "interrupting", "t_break_s", by)
        c = eq.parting_cycles(e.t_break_s, self.currents.f_hz)
        v_kv = float(self.currents.net.v_nominal_kv[places[0].bus])

        def factor(m: Meets) -> float:
            return float(rms_factor(m.x_over_r_late, c) if total else remote_multiplier(m.x_over_r_late, c))

        def steps(m: Meets) -> tuple[Step, ...]:
            law = "√(1 + 2·e^(−4π·C/(X/R)))" + ("" if total else "/S, at least 1")
            return (
                ("X/R by separate reductions, interrupting network", "X/R", "", m.x_over_r_late, "", self.currents.faults.method),
                ("Contact parting time", "C", "by the interrupting time", c, "cycles", IEEE_SOURCE),
                ("Multiplier, all sources remote", "MF", law, factor(m), "", IEEE_SOURCE),
            )

        capability = rated if total else eq.capability_at_voltage_ka(rated, e.v_rated_max_kv, v_kv, e.k_factor)
        basis = f"MF·I at {c:g} cycles, all sources remote, against the {'total' if total else 'symmetrical'} capability at {v_kv:g} kV"
        return self._row(e, "interrupting", capability, places, lambda m: factor(m) * m.ib, "Ib", by, basis, steps)

    def _multiplied(
        self, e: Element, quantity: str, rating: float, places: Sequence[Meets], tested_at: float, by: Callable[[ArrayLike, float], Floats], rated_by: str,
        with_: str = "",
    ) -> Duty:  # fmt: skip
        def factor(m: Meets) -> float:
            return float(by(m.x_over_r, tested_at))

        def steps(m: Meets) -> tuple[Step, ...]:
            return (
                ("X/R by separate reductions", "X/R", "", m.x_over_r, "", self.currents.faults.method),
                (f"Multiplier, tested at X/R {tested_at:g}", "MF", "at least 1", factor(m), "", LV_SOURCE),
            )

        worst = max(places, key=lambda m: factor(m) * m.ik)
        basis = f"MF {factor(worst):.3f}·I, X/R {worst.x_over_r:.3g} against {tested_at:g} of the test{with_}"
        return self._row(e, quantity, rating, places, lambda m: factor(m) * m.ik, "I″k", rated_by, basis, steps)

    # --- fuses, switches, boards

    def _fuse(self, e: Fuse, places: Sequence[Meets]) -> Iterator[Duty]:
        if e.rated_by is None or e.i_breaking_ka is None:
            yield empty(e, "breaking", "rated_by" if e.rated_by is None else "i_breaking_ka", e.rated_by or "")
        elif e.rated_by.startswith("IEC") == self.currents.ieee:
            yield self._other_school(e, "breaking", e.rated_by)
        elif self.currents.ieee:
            yield self._multiplied(e, "interrupting", e.i_breaking_ka, places, eq.TESTED_AT[e.rated_by], rms_multiplier, e.rated_by)
        else:
            yield from self._plain(e, "breaking", e.i_breaking_ka, "i_breaking_ka", places, "I″k against I1", e.rated_by)

    def _short_time(self, e: Element, icw: float, tcw: float, places: Sequence[Meets], rated_by: str) -> Duty:
        t_k = self.currents.faults.settings.t_k_s
        basis = f"Ith for {t_k:g} s against {icw:g} kA for {tcw:g} s"
        return self._row(e, "short-time", eq.short_time_rating_ka(icw, tcw, t_k), places, lambda m: m.ith, "Ith", rated_by, basis)

    def _withstand(
        self, e: Element, rated: Switch | Bus, peak: float | None, word: str, field: str, places: Sequence[Meets], by: str
    ) -> Iterator[Duty]:  # fmt: skip
        """Peak and short-time current of what does not break."""
        if self.currents.ieee:
            yield self._other_school(e, word, by)
            return
        yield empty(e, word, field, by) if peak is None else self._row(e, word, peak, places, lambda m: m.ip, "ip", by, "ip against it")
        icw = rated.i_short_time_ka
        yield empty(e, "short-time", "i_short_time_ka", by) if icw is None else self._short_time(e, icw, rated.t_short_time_s, places, by)

    def of_board(self, e: Bus) -> Iterator[Duty]:
        """The duties of a board."""
        bus = self.currents.net.topology.bus_index[e.id]
        if bus not in self.currents.fed:
            yield Duty(e.id, "short circuit", basis="not fed in this state")
            return
        if e.rated_by is None:
            yield empty(e, "withstand", "rated_by", "")
            return
        if (e.rated_by == "IEC") == self.currents.ieee:
            yield self._other_school(e, "withstand", e.rated_by)
            return
        places = [self.currents.at_bus(bus, fault) for fault in self.currents.known[bus]]
        if e.rated_by == "IEC":
            yield from self._withstand(e, e, e.i_peak_ka, "peak", "i_peak_ka", places, "IEC 61439-1, IEC 62271-200")
        elif e.i_short_time_ka is None:
            yield empty(e, "bracing", "i_short_time_ka", e.rated_by)
        elif e.rated_by == "IEEE low voltage":
            tested_at = eq.SWITCHGEAR_TESTED_AT if e.bus_kind == "switchboard" else eq.BOARD_TESTED_AT
            yield self._multiplied(e, "bracing", e.i_short_time_ka, places, tested_at, crest_multiplier, e.rated_by)
        else:
            crest = e.i_peak_ka or eq.CREST_OF_IEEE[self.currents.f_hz] * e.i_short_time_ka
            basis = "first-cycle crest" + ("" if e.i_peak_ka else ", rating by the standard's factor")
            yield self._row(e, "momentary", crest, places, lambda m: m.ip, "ip", e.rated_by, basis)


_FIELD = {"I″k": "ik", "Ib": "ib", "ip": "ip", "Ith": "ith"}


def empty(e: Element, quantity: str, field: str, rated_by: str) -> Duty:
    """Not assessed: a rating is not given."""
    return Duty(e.id, quantity, rated_by=rated_by, basis=f"{field} is empty")
