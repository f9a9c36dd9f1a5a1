"""Incident energy and arc-flash boundary after IEEE 1584-2018, at every bus with enclosure data."""

from northfell.core.studies.arc_flash.equations import Enclosure, arcing_current_ka, incident_energy_j_cm2
from northfell.core.studies.arc_flash.result import ArcFlash, Location, Variant
from northfell.core.studies.arc_flash.solve import run
from northfell.core.studies.arc_flash.working import explain_energy

__all__ = ["ArcFlash", "Enclosure", "Location", "Variant", "arcing_current_ka", "explain_energy", "incident_energy_j_cm2", "run"]
