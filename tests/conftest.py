"""What all tests share: hypothesis repeats itself in CI, and small networks are built from plain dictionaries."""

import os
from collections.abc import Iterable
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, settings

from northfell.core.model.network import Network, OperatingState, check_network, element_from
from northfell.core.model.settings import ProjectSettings

settings.register_profile("steady", derandomize=True, deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("quick", settings.get_profile("steady"), phases=[Phase.explicit, Phase.generate])  # a failure is enough; nobody reads it
settings.load_profile(os.environ.get("NORTHFELL_HYPOTHESIS", "steady"))


def network_of(elements: Iterable[dict[str, Any]], states: Iterable[OperatingState] = (), **project: Any) -> Network:
    """A checked network; an element's id is its name."""
    made = [element_from({"id": raw["name"], **raw}) for raw in elements]
    network = Network(name="Test", states=list(states), settings=ProjectSettings(**project))
    network = network.model_copy(update={"elements": {e.id: e for e in made}})
    check_network(network)
    return network


BUS_A, BUS_B, BUS_C = ({"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "ABC")
INFEED = {"kind": "infeed", "name": "G", "bus": "A", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1}
CABLE = {
    "kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 1000.0, "r_ohm_per_km": 0.32, "x_ohm_per_km": 0.1, "t_end_degc": 250.0,
}  # fmt: skip
LOAD = {"kind": "load", "name": "E", "bus": "B", "p_mw": 2.0, "q_mvar": 1.0}


@pytest.fixture
def simple() -> Network:
    """An infeed, a cable, a load."""
    return network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD])
