"""What another of the family would do in the place of a device: fuses of all sizes, relays with all curves, trips with all bands."""

from typing import get_args

from northfell.core.catalogue.tables import relay_curves
from northfell.core.model.elements import LINK_SIZES_A, Breaker, Element, Fuse, Relay
from northfell.core.studies.protection.devices import Device


def family_of(device: Device, holder: Element) -> list[tuple[str, Device]]:
    """The others of a family, each by what is different and as a device; `holder` carries the setting, all others stay.

    A breaker without a trip is of the family of its first relay. Empty where what is set comes in no family, such as a bimetal.
    """
    holder = device.relays[0] if isinstance(holder, Breaker) and holder.trip == "none" and device.relays else holder
    field, choices = _choices(holder)
    return [(told, device.with_holder(holder.model_copy(update={field: value}))) for value, told in choices if value != getattr(holder, field)]


def _choices(holder: Element) -> tuple[str, list[tuple[object, str]]]:
    if isinstance(holder, Fuse):
        return "i_rated_a", [(float(a), f"{a:g} A") for a in LINK_SIZES_A.get(holder.link, ())]
    if isinstance(holder, Relay) and holder.curve is not None:
        known = get_args(Relay.model_fields["curve"].annotation)
        return "curve", [(one.id, f"{one.standard.split()[0]} {one.name}") for one in relay_curves().values() if one.id in _flat(known)]
    if isinstance(holder, Breaker) and holder.trip == "electronic" and holder.trip_isd_a is not None:
        return "trip_tsd", [(band, f"{band} s") for band in ("0.1", "0.2", "0.3", "0.4")]
    if isinstance(holder, Breaker) and holder.trip == "miniature":
        return "trip_class", [(one, f"class {one}") for one in ("B", "C", "D")]
    return "", []


def _flat(known: tuple[object, ...]) -> set[object]:
    """The values of a choice that may be empty."""
    return {value for one in known for value in (get_args(one) or (one,))}
