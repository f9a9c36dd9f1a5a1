"""In what steps settings can be made: usual ones where a device's own are not known."""

from northfell.core.model.elements import LINK_SIZES_A, Breaker, Element, Fuse, Relay

BANDS_S = (0.1, 0.2, 0.3, 0.4)


def setting_steps(element: Element, field: str) -> tuple[float, tuple[float, ...]]:
    """The step of a setting, and the values there are where they are only some; a step of 0 where it is any.

    Relays: pickups in hundredths of the current transformers' rated current, the high stage in tenths of it, multipliers and delays in hundredths.
    Electronic trips: Isd and Ii in halves of Ir, Ir in hundredths of the breaker's rated current, tr in halves of a second.
    """
    if isinstance(element, Relay):
        primary = element.ct_primary_a or 100.0
        earth = element.earth_ct_primary_a or primary
        steps = {"i_pickup_a": primary / 100, "i_high_a": primary / 10, "time_multiplier": 0.01, "t_high_s": 0.01,
                 "i_earth_pickup_a": earth / 100, "i_earth_high_a": earth / 10, "earth_multiplier": 0.01, "t_earth_high_s": 0.01}  # fmt: skip
        return steps.get(field, 0.0), ()
    if isinstance(element, Breaker):
        ir, rated = element.trip_ir_a or 100.0, element.i_rated_a or 100.0
        of_trip = {"trip_ir_a": rated / 100, "trip_tr_s": 0.5, "trip_isd_a": ir / 2, "trip_ii_a": ir / 2, "trip_ig_a": rated / 100}
        return (0.1, BANDS_S) if field in ("trip_tsd", "trip_tg") else (of_trip.get(field, 0.0), ())
    if isinstance(element, Fuse) and field == "i_rated_a":
        return 0.0, tuple(float(a) for a in LINK_SIZES_A.get(element.link, ()))
    return 0.0, ()
