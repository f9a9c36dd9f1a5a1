"""What a load flow found: the solved state with its tables."""

from dataclasses import dataclass

from northfell.core.studies.load_flow.listing import TABLES
from northfell.core.studies.load_flow.solved import Solved
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
