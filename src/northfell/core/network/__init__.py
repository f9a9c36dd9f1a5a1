"""From model and operating state to arrays: topology, islands, per unit, sparse admittances. Every study starts here."""

from northfell.core.network.admittance import branch_two_ports, node_admittance
from northfell.core.network.compile import Compiled, compile_network, recompiled
from northfell.core.network.holding import HeldBack
from northfell.core.network.lacking import fed, with_data
from northfell.core.network.linear import Factorised
from northfell.core.network.outage import with_open, without_one
from northfell.core.network.switches import switch_currents
from northfell.core.network.topology import Topology, energised, same_connections, topology_of

__all__ = [
    "Compiled", "Factorised", "HeldBack", "Topology", "branch_two_ports", "compile_network", "energised", "fed", "node_admittance", "recompiled",
    "same_connections", "switch_currents", "topology_of", "with_data", "with_open", "without_one",
]  # fmt: skip
