"""What a stage that can show nothing yet needs, in one act: enclosures of all boards by kind and voltage, their mains from the drawing."""

from collections.abc import Mapping

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, Set
from northfell.core.model.elements import Breaker, Bus, Changeover, Element, Fuse, Switching
from northfell.core.model.network import Network
from northfell.core.rules.typical import typical_for_missing
from northfell.core.studies.arc_flash.by_voltage import V_RANGE_KV

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
    places, ways = 0, Ways(network.elements)
    for bus in boards_without(network):
        filled = bus.model_copy(update={"electrode_configuration": bus.electrode_configuration or WORST})
        typical = typical_for_missing(network.elements, filled, network.settings.frequency_hz)
        values: dict[str, object] = {field: one.value for field, one in typical.items()}
        assumed = {field: one.source for field, one in typical.items()}
        if bus.electrode_configuration is None:
            values["electrode_configuration"], assumed["electrode_configuration"] = WORST, ELECTRODES
        if bus.main is None:
            values |= dict(zip(("main", "main_2", "main_3"), ways.mains_of(bus.id), strict=False))
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


class Ways:
    """What conducts between the buses as drawn, to look many times for where the sources stand."""

    def __init__(self, elements: Mapping[str, Element]) -> None:
        self.next: dict[str, list[str]] = {}
        self.sources: set[str] = set()
        self.boards = {e.id for e in elements.values() if isinstance(e, Bus) and e.bus_kind != "junction"}
        self.protecting: dict[str, list[Breaker | Fuse]] = {}
        live = [e for e in elements.values() if e.in_service and all(elements[b].in_service for b in e.buses)]
        for e in live:
            if e.feeds:
                self.sources.add(e.buses[0])
            if e.joined:
                pairs = [(e.buses[e.joined[0]], e.buses[e.joined[1]])]
            elif len(e.TERMINALS) > 1 and not isinstance(e, Switching | Changeover):
                pairs = [(e.buses[0], other) for other in e.buses[1:]]
            else:
                continue
            for one, other in pairs:
                self.next.setdefault(one, []).append(other)
                self.next.setdefault(other, []).append(one)
                if isinstance(e, Breaker | Fuse) and one != other:
                    self.protecting.setdefault(one, []).append(e)
                    self.protecting.setdefault(other, []).append(e)

    def mains_of(self, board_id: str) -> list[str]:
        """The breakers or fuses at a board behind which the sources stand; of several those alone that lead to no other board, whose bar is a place itself."""
        far = {e.id: next(b for b in e.buses if b != board_id) for e in self.protecting.get(board_id, ())}
        incomers = [e for e, bus in far.items() if self._leads_to_a_source(bus, board_id)]
        return incomers if len(incomers) == 1 else [e for e in incomers if far[e] not in self.boards]

    def _leads_to_a_source(self, far: str, board_id: str) -> bool:
        """Whether the far side of a device is fed without its board."""
        seen, edge = {board_id, far}, [far]
        while edge:
            here = edge.pop()
            if here in self.sources:
                return True
            new = [b for b in self.next.get(here, ()) if b not in seen]
            seen.update(new)
            edge.extend(new)
        return False
