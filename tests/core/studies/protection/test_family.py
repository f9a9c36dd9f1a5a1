"""The others of a family: each is what entering its setting makes, and the device itself is none of them."""

import numpy as np
import pytest

from northfell.core.model.elements import Fuse, Relay
from northfell.core.model.elements.switching import Breaker
from northfell.core.studies.protection import Device, family_of

ENDS = {"from_bus": "A", "to_bus": "B"}
BREAKER = Breaker(id="Q", name="Q", **ENDS)
RELAY = Relay(id="R", name="R", breaker="Q", curve="IEC_SI", i_pickup_a=100.0, time_multiplier=0.3, i_high_a=1000.0, t_high_s=0.1)
FUSE = Fuse(id="F", name="F", **ENDS, i_rated_a=100.0)
TRIP = Breaker(id="Q", name="Q", **ENDS, trip="electronic", trip_ir_a=100.0, trip_tr_s=5.0, trip_isd_a=500.0, trip_tsd="0.2")
SMALL = Breaker(id="Q", name="Q", **ENDS, trip="miniature", trip_ir_a=32.0, trip_class="C")
I_A = np.geomspace(50, 2000, 60)


@pytest.mark.parametrize(
    ("device", "holder", "field", "value", "told"),
    [
        (Device(FUSE), FUSE, "i_rated_a", 160.0, "160 A"),
        (Device(BREAKER, (RELAY,)), RELAY, "curve", "IEC_VI", "IEC very inverse"),
        (Device(BREAKER, (RELAY,)), BREAKER, "curve", "IEC_VI", "IEC very inverse"),
        (Device(TRIP), TRIP, "trip_tsd", "0.4", "0.4 s"),
        (Device(SMALL), SMALL, "trip_class", "D", "class D"),
    ],
)
def test_another_of_the_family_is_the_device_with_that_setting(device, holder, field, value, told):
    found = family_of(device, holder)
    assert len({name for name, _ in found}) == len(found)
    (one,) = (other for name, other in found if name == told)
    carries = RELAY if device.relays else holder
    entered = device.with_holder(type(carries).model_validate({**carries.model_dump(), field: value}))
    assert np.array_equal(one.opens_at_s(I_A), entered.opens_at_s(I_A))
    assert not any(np.array_equal(other.opens_at_s(I_A), device.opens_at_s(I_A)) for _, other in found)


def test_a_bimetal_and_a_relay_without_a_curve_are_of_no_family():
    bimetal = Breaker(id="Q", name="Q", **ENDS, trip="thermal-magnetic", trip_ir_a=100.0, trip_im_a=900.0)
    assert family_of(Device(bimetal), bimetal) == []
    blank = RELAY.model_copy(update={"curve": None})
    assert family_of(Device(BREAKER, (blank,)), blank) == []
