"""What a load flow found: the solved state with its tables."""

import math
from dataclasses import dataclass

import numpy as np

from northfell.core.studies.load_flow.listing import TABLES
from northfell.core.studies.load_flow.solved import Solved
from northfell.core.studies.record import Compared
from northfell.core.tables import Table


@dataclass(frozen=True)
class LoadFlow(Solved):
    """The result of the study."""

    @property
    def summary(self) -> dict[str, float | int]:
        return {**self.totals, "iterations": self.iterations, "mismatch_mva": self.mismatch_mva}

    def tables(self) -> list[Table]:
        """The tables every output renders."""
        return [table(self) for table in TABLES.values()]

    def table(self, name: str) -> Table:
        """One of them."""
        return TABLES[name](self)


def compared(flow: LoadFlow) -> Compared:
    """What is looked at over all states: the loading of everything [%], the voltage of every bus [p.u.], the totals [MW, Mvar]."""
    loading, ids = flow.loadings().pct, flow.net.topology.bus_ids
    carried = {e.id: pct for e, pct in zip(flow.net.terminals.elements, loading.tolist(), strict=True) if math.isfinite(pct)}
    bars = {i: pct for i, pct in zip(ids, flow.bar_loading_pct.tolist(), strict=True) if math.isfinite(pct)}
    voltage = {i: v for i, v in zip(ids, np.abs(flow.v).tolist(), strict=True) if math.isfinite(v)}
    return {"loading": {**carried, **bars}, "voltage": voltage, "totals": flow.totals}
