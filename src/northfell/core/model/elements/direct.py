"""The direct-current side of what converts: a board with a battery, at which people may work."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.elements.base import Element

# Declarations read as a table.
# fmt: off

BOARD = When("dc_board", ("open air", "panelboard", "low-voltage switchgear", "medium-voltage switchgear"))
METHODS = "maximum power (NFPA 70E, D.5); Stokes and Oppenlander (constants unverified)"


class DirectSide(Element):
    """What has a direct-current side with a place of work."""

    dc_board: Literal["none", "open air", "panelboard", "low-voltage switchgear", "medium-voltage switchgear"] = param(
        "none", label="Board on the DC side", section="Direct current",
        meaning="Where people work on its direct-current side, in the open or in what box. None: there is no place of work.",
        enters="which reflection the energy of a direct-current arc has"
    )
    v_dc_v: float | None = param(
        None, label="Direct voltage", symbol="Udc", unit="V", gt=0, le=3000, section="Direct current", acts_when=BOARD, source=METHODS,
        meaning="Highest voltage between the conductors, the battery being charged.", enters="E = 0.01·Udc·Iarc·t/D²; Iarc = Udc/(R + Rarc)"
    )
    ik_dc_ka: float | None = param(
        None, label="Short-circuit current, DC", symbol="Ik,dc", unit="kA", gt=0, le=200, section="Direct current", acts_when=BOARD, source=METHODS,
        meaning="Of a bolted fault at the board, of battery and converter together, from the makers.", enters="R = Udc/Ik,dc"
    )
    dc_gap_mm: float | None = param(
        None, label="Conductor gap, DC", symbol="G", unit="mm", gt=0, le=200, section="Direct current", acts_when=BOARD, source=METHODS,
        meaning="Between the conductors where the arc would burn.", enters="Uarc = (20 + 0.534·G)·Iarc^0.12"
    )
    dc_distance_mm: float | None = param(
        None, label="Working distance, DC", symbol="D", unit="mm", ge=100, le=5000, section="Direct current", acts_when=BOARD, source=METHODS,
        meaning="From the arc to face and chest.", enters="E falls with D²"
    )
    t_dc_s: float | None = param(
        None, label="Cleared in, DC", symbol="t", unit="s", gt=0, le=100, section="Direct current", acts_when=BOARD,
        meaning="When its fuse or breaker has cut an arc off, by its curve for direct current at the lesser of the arcing currents that are shown. Empty: "
        "none is counted on, the longest exposure holds.",
        enters="E grows evenly with t"
    )
