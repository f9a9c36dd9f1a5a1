"""Balanced load flow: voltages, flows, loadings and losses of one operating state."""

from northfell.core.studies.load_flow.loading import Loading, loading_limits, stages_of
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.solve import run

__all__ = ["LoadFlow", "Loading", "loading_limits", "run", "stages_of"]
