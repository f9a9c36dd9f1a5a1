"""Operating states: copied, renamed, removed, and what differs between them as a matrix."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from northfell.app.data.edits import read_typed
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Change, PutState, Scale, Switch
from northfell.core.model.declare.parameters import Parameter, parameter, parameters_of
from northfell.core.model.elements import NAME_ACCEPTED, Consumer, Dispatched, Element, Infeed
from northfell.core.model.network import NORMAL, Network, OperatingState, title_of

KINDS_OF_FACTOR = {"load": "load_factors", "generation": "generation_factors"}


@dataclass(frozen=True)
class MatrixRow:
    """One parameter of one element over all states; `differs` says in which it is set apart from Normal."""

    element: Element
    p: Parameter
    values: Mapping[str, Any]
    differs: frozenset[str]


def matrix(network: Network) -> list[MatrixRow]:
    """What differs between the states, in the order of the network."""
    fields: dict[str, dict[str, None]] = {}
    for state in network.states:
        for element_id, values in state.differences.items():
            fields.setdefault(element_id, {}).update(dict.fromkeys(values))
    by_state = {name: network.in_state(name) for name in network.state_names}
    rows = []
    for element_id, element in network.elements.items():
        for p in parameters_of(type(element)):
            if p.name in fields.get(element_id, {}):
                values = {name: getattr(elements[element_id], p.name) for name, elements in by_state.items()}
                differs = frozenset(s.name for s in network.states if p.name in s.differences.get(element_id, {}))
                rows.append(MatrixRow(element, p, values, differs))
    return rows


def groups(network: Network, of: str) -> list[str]:
    """The groups whose load or generation a state can scale; the empty one is all of it."""
    kinds = Consumer if of == "load" else (Dispatched, Infeed)
    found = {e.group for e in network.elements.values() if isinstance(e, kinds) and e.group}
    held = {g for s in network.states for g in getattr(s, KINDS_OF_FACTOR[of])}
    return ["", *sorted((found | held) - {""})]


def set_in_state(network: Network, state: str, element_id: str, field: str, typed: str) -> Change:
    """Set what a state holds of an element from typed text; empty takes its difference back."""
    element = network.element(element_id)
    p = parameter(type(element), field)
    if p is None or not p.in_state:
        allowed = ", ".join(q.label.lower() for q in parameters_of(type(element)) if q.in_state)
        raise NetworkRefused([InputRefused("field", field, f"one that a state may hold: {allowed}", where=title_of(element))])
    back = typed.strip() == "" and state != NORMAL
    value = None if back else read_typed(network, p, typed, title_of(element))
    told = "as in Normal" if back else typed.strip()
    return Change(f"{element.name} {p.label.lower()} {told} in {state}", (Switch(state=state, id=element_id, values={field: value}),))


def set_factor(network: Network, state: str, of: str, group: str, typed: str) -> Change:
    """Set the factor by which a state scales the load or generation of a group; empty or 1 takes it back."""
    if of not in KINDS_OF_FACTOR:
        raise NotFound(f"There is no factor of “{of}”. Accepted are {', '.join(KINDS_OF_FACTOR)}.")
    if state == NORMAL:
        raise NetworkRefused([InputRefused("state", state, "a state other than Normal", "Normal is the network as drawn.", "Factor")])
    network.state(state)
    text = typed.strip().replace(",", ".")
    try:
        value = float(text) if text else 1.0
    except ValueError:
        value = -1.0
    if not 0 <= value <= 100:
        raise NetworkRefused([InputRefused("factor", typed, "a number, 0 or more and 100 or less", where=f"State {state}")])
    act = Scale.model_validate({"state": state, "of": KINDS_OF_FACTOR[of], "group": group, "factor": value if value != 1 else None})
    return Change(f"{of.capitalize()} of {group or 'all'} times {value:g} in {state}", (act,))


def rename(network: Network, state: str, name: str) -> Change:
    """Give a state another name."""
    if state == NORMAL:
        raise NetworkRefused([InputRefused("state", state, "a state other than Normal", "Normal is the network as drawn.", "Operating states")])
    found = network.state(state)
    try:
        new = OperatingState.model_validate({**found.model_dump(), "name": name.strip()})
    except ValueError:
        raise NetworkRefused([InputRefused("name", name, NAME_ACCEPTED, where=f"State {state}")]) from None
    return Change(f"State {state} renamed {new.name}", (PutState(name=state, to=new),))


def include_planned(network: Network, state: str) -> Change:
    """Put every planned element into service in a state, and what is to be removed out of it."""
    wanted = {e.id: e.status == "planned" for e in network.elements.values() if e.status != "existing"}
    if state == NORMAL or not wanted:
        accepted = "a state other than Normal, in a network with planned elements"
        raise NetworkRefused([InputRefused("state", state, accepted, where="Planned elements")])
    return Change(f"{state} includes what is planned", tuple(Switch(state=state, id=i, values={"in_service": v}) for i, v in wanted.items()))
