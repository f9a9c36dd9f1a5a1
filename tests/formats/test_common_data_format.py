"""IEEE Common Data Format: columns, special buses, and damaged files."""

from pathlib import Path

import pytest

from northfell.app.results.studies import StateResults
from northfell.core.errors import NetworkRefused, NorthfellError
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.formats import common_data_format

TEXT = (Path(__file__).parent.parent / "published/data/ieee14.cdf").read_text()


def test_shunt_ratio_names_and_limits():
    network, _ = common_data_format.read(TEXT)
    assert network.elements["Shunt 9"].q_mvar == pytest.approx(19)
    assert network.elements["4-7-1"].ratio_pu == 0.978
    assert network.elements["1"].label == "Bus 1 HV"
    assert network.elements["1"].v_nominal_kv is None
    assert (network.elements["Source 2"].q_min_mvar, network.elements["Source 2"].q_max_mvar) == (-40, 50)
    assert network.name == "IEEE 14 Bus Test Case"


def test_parallel_circuits_get_names_of_their_own():
    line = next(one for one in TEXT.splitlines() if one.startswith("   1    2"))
    network, _ = common_data_format.read(TEXT.replace(line, f"{line}\n{line}"))
    assert {"1-2-1", "1-2-2"} <= set(network.elements)


def test_numbers_that_touch_are_told_apart_by_their_columns():
    """Bus 3: 94.2 MW and 19.0 Mvar written so wide that they meet; the same for R and X of a branch."""
    lines = TEXT.splitlines()
    at = next(i for i, one in enumerate(lines) if one.startswith("   3 Bus 3"))
    lines[at] = lines[at][:40] + "94.200000" + "19.0000000" + lines[at][59:]
    branch = next(i for i, one in enumerate(lines) if one.startswith("   2    3"))
    lines[branch] = lines[branch][:19] + "0.04699000" + "0.197970000" + lines[branch][40:]
    touching, _ = common_data_format.read("\n".join(lines))
    assert touching == common_data_format.read(TEXT)[0]


def with_remote(bus, remote):
    lines = TEXT.splitlines()
    at = next(i for i, one in enumerate(lines) if one.startswith(f"{bus:>4} Bus"))
    lines[at] = lines[at].rsplit(maxsplit=1)[0] + f"{remote:>5}"
    return "\n".join(lines)


def test_a_machine_that_controls_another_bus_holds_it():
    network, messages = common_data_format.read(with_remote(8, 7))
    assert messages == []
    assert (network.elements["Source 8"].v_bus, network.elements["Source 8"].v_set_pu) == ("7", 1.09)
    network, messages = common_data_format.read(with_remote(8, 99))
    assert messages == ["Bus 8 controls bus 99, which is not in the file: it is read as holding its own final voltage, 1.09 p.u."]
    assert network.elements["Source 8"].v_bus is None
    _, messages = common_data_format.read(with_remote(8, 6))
    assert messages == ["Bus 8 controls bus 6, where 1.07 p.u. is held by others: it is read as holding its own final voltage, 1.09 p.u."]
    _, messages = common_data_format.read(with_remote(1, 5))
    assert messages == ["Bus 1 is the reference and controls bus 5: it is read as holding its own final voltage, 1.06 p.u."]


def test_limits_that_are_none_and_areas():
    no_limit = TEXT.replace("50.0   -40.0", "9999.0 -9999.0")
    network, _ = common_data_format.read(no_limit)
    assert (network.elements["Source 2"].q_min_mvar, network.elements["Source 2"].q_max_mvar) == (None, None)
    assert network.elements["2"].area == "1"
    with pytest.raises(NetworkRefused, match="minimum MVAR is 40"):
        common_data_format.read(TEXT.replace("50.0   -40.0", "20.0    40.0"))


def test_base_kv_that_is_known_gives_kv():
    known = TEXT.replace("232.4   -16.9     0.0 ", "232.4   -16.9   132.0 ")
    network, _ = common_data_format.read(known)
    assert network.elements["1"].v_nominal_kv == 132
    assert next(StateResults(network, "Normal").result(LOAD_FLOW).table("buses").records())["v_kv"] == pytest.approx(132 * 1.06)


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("   4    7  1", "   4   77  1", "Z bus is “77”, accepted is the number of a bus in BUS DATA"),
        ("BUS DATA FOLLOWS", "NOTHING FOLLOWS", "a line that starts with BUS DATA"),
        ("-999", "", "closed by a line of -999"),
        ("   0.05917", "      abcd", "accepted is a number in its columns"),
        ("   0.05917", "       nan", "accepted is a finite number"),
        ("  100.0 ", "    0.0 ", "MVA base"),
        ("  2 Bus 2 ", "  1 Bus 2 ", "a number that no other bus has"),
        ("   0.01938    0.05917", "       0.0        0.0", "1-2-1 has neither resistance nor reactance"),
    ],
)
def test_damage_is_named_with_its_line(old, new, told):
    assert old in TEXT

    def read_and_solve() -> None:
        network, _ = common_data_format.read(TEXT.replace(old, new))
        StateResults(network, "Normal").result(LOAD_FLOW)

    with pytest.raises(NorthfellError) as error:
        read_and_solve()
    assert told in str(error.value)


def test_nothing_at_all():
    with pytest.raises(NetworkRefused):
        common_data_format.read("")
