"""What a stage that can show nothing yet needs, in one act: enclosures of all boards by kind and voltage, their mains from the drawing."""

from collections.abc import Mapping

from northfell.core.catalogue.typical import typical_for_missing
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, Set
from northfell.core.model.elements import Breaker, Bus, Element, Fuse
from northfell.core.model.network import Network
from northfell.core.network import topology_of
from northfell.core.studies.arc_flash.solve import V_RANGE_KV

WORST = "HCB"  # of the enclosed configurations the one with the most energy: an assumption must not be optimistic
ELECTRODES = "worst of the enclosed configurations, until the board was looked at (unverified)"


def prepare_arc_flash(network: Network) -> Change:
    """Make every board a location: electrodes and enclosure by its kind and voltage, all marked as assumed, and its main where there is one.

    Raises
    ------
    NetworkRefused
        If there is no board of a voltage that the method covers without enclosure data or main.
    """
    acts: list[Set] = []
    places = 0
    for bus in boards_without(network):
        filled = bus.model_copy(update={"electrode_configuration": bus.electrode_configuration or WORST})
        typical = typical_for_missing(network.elements, filled, network.settings.frequency_hz)
        values: dict[str, object] = {field: one.value for field, one in typical.items()}
        assumed = {field: one.source for field, one in typical.items()}
        if bus.electrode_configuration is None:
            values["electrode_configuration"], assumed["electrode_configuration"] = WORST, ELECTRODES
        if bus.main is None and (main := main_of(network.elements, bus.id)):
            values["main"] = main
        if values:
            places += 1
            acts.append(Set(id=bus.id, values=values, assumed=assumed))
    if not acts:
        accepted = f"a board of {V_RANGE_KV[0]:g} to {V_RANGE_KV[1]:g} kV without enclosure data or main"
        raise NetworkRefused([InputRefused("boards", "none", accepted, where="Arc flash")])
    return Change(f"Enclosures and mains of {places} board{'s' if places != 1 else ''}, typical", tuple(acts))


def boards_without(network: Network) -> list[Bus]:
    """Boards of a voltage that the method covers, whose data are not locked."""
    covered = [e for e in network.elements.values() if isinstance(e, Bus) and V_RANGE_KV[0] <= (e.v_nominal_kv or 0) <= V_RANGE_KV[1]]
    return [e for e in covered if e.bus_kind != "junction" and not e.locked]


def main_of(elements: Mapping[str, Element], board_id: str) -> str | None:
    """The one breaker or fuse at a board behind which the sources stand; None where there is none, or several."""
    at_board = [e for e in elements.values() if isinstance(e, Breaker | Fuse) and board_id in e.buses and e.in_service and getattr(e, "closed", True)]
    return incomers[0] if len(incomers := [e.id for e in at_board if _leads_to_a_source(elements, board_id, e.id)]) == 1 else None


def _leads_to_a_source(elements: Mapping[str, Element], board_id: str, device_id: str) -> bool:
    """Whether the far side of a device is fed without its board."""
    others = {i: e for i, e in elements.items() if i != device_id and board_id not in e.buses and i != board_id}
    far = next(b for b in elements[device_id].buses if b != board_id)
    if far not in others:
        return False
    top = topology_of(others)
    return top.fed_bus(top.bus_index[far])
