"""Sheets of curves that are kept: under a name, in an order, with the devices that were put on them."""

from collections.abc import Collection, Sequence

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, PutCurves
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.kept_beside import MOST_DEVICES, KeptCurves
from northfell.core.model.network import Network
from northfell.core.quantities import parse_quantity


def keep(network: Network, name: str, devices: Sequence[str], fault: str) -> Change:
    """A new sheet with some devices, from below to the source."""
    new = _made(KeptCurves(name="new"), name=name.strip(), devices=list(devices), fault="lg" if fault == "lg" else "3ph")
    return Change(f"Curves {new.name} kept", (PutCurves(name="", to=new),))


def rename(network: Network, name: str, to: str) -> Change:
    """Another name for a sheet."""
    old = existing(network, name)
    new = _made(old, name=to.strip())
    return Change(f"Curves {name} → {new.name}", (PutCurves(name=name, to=new),)) if new != old else Change("", ())


def remove(network: Network, name: str) -> Change:
    """Take a sheet away; its devices stay in the network."""
    existing(network, name)
    return Change(f"Curves {name} removed", (PutCurves(name=name, to=None),))


def show(network: Network, name: str, fault: str, axis: str, v_ref: str) -> Change:
    """What a sheet is drawn over: faults between phases or to earth, amperes at one voltage or each device in its own."""
    old = existing(network, name)
    v_ref_kv = parse_quantity(v_ref, "kV", "Voltage of the axis") if v_ref.strip() else None
    new = _made(old, fault=fault, own_amperes=axis == "own", v_ref_kv=v_ref_kv)
    return Change(f"Curves {name} drawn otherwise", (PutCurves(name=name, to=new),)) if new != old else Change("", ())


def move_name(network: Network, name: str, device: str, x: float | None, y: float | None) -> Change:
    """Put the name of a device elsewhere on a sheet, in parts of its frame; without a place, back to where it finds room by itself."""
    old = existing(network, name)
    if device not in old.devices:
        raise NetworkRefused([InputRefused("device", device, "a device on the sheet", where=f"Curves {name}")])
    others = [m.model_dump() for m in old.moved if m.device != device and m.device in old.devices]
    placed = [] if x is None or y is None else [{"device": device, "x": round(min(max(x, 0.0), 1.0), 4), "y": round(min(max(y, 0.0), 1.0), 4)}]
    new = _made(old, moved=[*others, *placed])
    return Change(f"Name of {network.element(device).name} moved on {name}", (PutCurves(name=name, to=new),)) if new != old else Change("", ())


def shift(network: Network, name: str, by: int) -> Change:
    """An earlier or a later place among the sheets."""
    old = existing(network, name)
    at = min(max(network.curves.index(old) + by, 0), len(network.curves) - 1)
    moved = at != network.curves.index(old)
    return Change(f"Curves {name} moved", (PutCurves(name=name, to=old, at=at),)) if moved else Change("", ())


def stand(network: Network, device: str, names: Collection[str]) -> Change:
    """Put a device on the sheets of some names, and on no others."""
    for name in names:
        existing(network, name)
    acts = []
    for one in network.curves:
        if one.name in names and device not in one.devices:
            if len(one.devices) >= MOST_DEVICES:
                raise NetworkRefused([InputRefused("devices", len(one.devices) + 1, f"at most {MOST_DEVICES} devices on a sheet", where=f"Curves {one.name}")])
            acts.append(PutCurves(name=one.name, to=_made(one, devices=[*one.devices, device])))
        elif one.name not in names and device in one.devices:
            acts.append(PutCurves(name=one.name, to=one.without(device)))
    return Change(f"{network.element(device).name} on {len(names)} sheet{'s' if len(names) != 1 else ''} of curves", tuple(acts)) if acts else Change("", ())


def existing(network: Network, name: str) -> KeptCurves:
    """A sheet by its name."""
    found = next((one for one in network.curves if one.name == name), None)
    if found is None:
        raise NetworkRefused([InputRefused("curves", name, "one of " + ", ".join(one.name for one in network.curves), where="Curves")])
    return found


def _made(old: KeptCurves, **values: object) -> KeptCurves:
    try:
        return KeptCurves.model_validate({**old.model_dump(), **values})
    except ValidationError as error:
        field = str(error.errors()[0]["loc"][0])
        accepted = {"name": NAME_ACCEPTED, "v_ref_kv": "a voltage above 0 and at most 1200 kV", "devices": f"at most {MOST_DEVICES} devices"}
        raise NetworkRefused([InputRefused(field, str(values.get(field))[:80], accepted.get(field, "3ph or lg"), where="Curves")]) from None
