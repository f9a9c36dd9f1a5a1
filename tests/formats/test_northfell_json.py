"""The network file: out and in to the last digit, and bad files refused whole, in words."""

import json

import pytest
from hypothesis import given
from tests.core.random_networks import networks

from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.model.elements import KINDS
from northfell.demo import skerrow_water
from northfell.formats import northfell_json

DEMO = json.loads(northfell_json.write(skerrow_water()))


def refused(data) -> str:
    with pytest.raises(NetworkRefused) as error:
        northfell_json.read(data if isinstance(data, str | bytes) else json.dumps(data))
    return str(error.value)


def demo_with(which: str, **values) -> dict:
    """The demo's file with some values of one element replaced."""
    elements = [{**e, **values} if e["name"] == which else e for e in DEMO["elements"]]
    return {**DEMO, "elements": elements}


def test_demo_reads_back_equal():
    network = skerrow_water()
    assert northfell_json.read(northfell_json.write(network)) == network


@given(networks())
def test_any_network_reads_back_equal(network):
    assert northfell_json.read(northfell_json.write(network)) == network


def test_renamed_elements_are_written_by_their_names():
    renamed, _ = apply_change(skerrow_water(), Change("", (Set(id="Filter hall", values={"name": "Hall <script>alert('x')</script> \"7\""}),)))
    again = northfell_json.read(northfell_json.write(renamed))
    assert again.elements["Q31"].to_bus == "Hall <script>alert('x')</script> \"7\""
    assert again.sheets[0].placements.keys() == {renamed.elements[i].name for i in renamed.sheets[0].placements}


def test_whole_numbers_may_carry_a_point():
    assert northfell_json.read(json.dumps(demo_with("W311", parallel=2.0))).elements["W311"].parallel == 2


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (demo_with("W25", to_bus="Nowhere"), "Cable W25: to_bus is “Nowhere”, accepted is the name of a bus. No element of that name is in the network."),
        (demo_with("W25", to_bus="T3"), "T3 is a two-winding transformer"),
        (demo_with("W25", to_bus="W25 near"), "to_bus is “W25 near”, accepted is another bus than at its first terminal"),
        (demo_with("W25", length_m=-5), "Cable W25: length_m is -5, accepted is a number, above 0 m"),
        (demo_with("W25", length_m=float("nan")), "Cable W25: length_m is nan, accepted is a number, above 0 m"),
        (demo_with("W25", length_m="640"), "Cable W25: length_m is “640”, accepted is a number"),
        (demo_with("W25", length_m=True), "Cable W25: length_m is True, accepted is a number"),
        (demo_with("W25", lenght_m=5), "Cable W25: field is “lenght_m”, accepted is one of"),
        (demo_with("W25", kind="pipe"), "kind is “pipe”, accepted is one of bus, infeed"),
        (demo_with("W25", name="W\n25"), "name is “W\\n25”, accepted is 1 to 80 characters on one line"),
        (demo_with("W25", name="x" * 81), "accepted is 1 to 80 characters on one line"),
        (demo_with("W26", name="W25"), "name is “W25”, accepted is a name that no other element has"),
        (demo_with("T3", vector_group="Dyn13"), "Two-winding transformer T3: vector_group is “Dyn13”"),
        (demo_with("F411", i_rated_a=240.0), "Fuse F411: i_rated_a is 240, accepted is a size of a gG link: 16"),
        ({**DEMO, "settings": {"limits": {"loading_close_pct": -1}}}, "Settings: loading_close_pct is -1, accepted is a number, above 0 %"),
        ({**DEMO, "states": [{"name": "Odd", "differences": {"W25": {"length_m": 3.0}}}]}, "State Odd, Cable W25: differences is “length_m”"),
        ({**DEMO, "states": [{"name": "Odd", "differences": {"Nobody": {}}}]}, "accepted is an element of the network"),
        ({**DEMO, "format_version": 2}, "The file comes from a later version of Northfell"),
        ({**DEMO, "format": "other"}, "This is not a Northfell network file"),
        ({**DEMO, "elements": {}}, "elements is “dict”, accepted is a list"),
        ({**DEMO, "extra": 1}, "field is “extra”"),
        ([1, 2], "format is “list”"),
        ("{", "accepted is JSON text of a network"),
        ("[" * 100_000, "accepted is JSON text of a network"),
        (b"\xff\xfe\x00", "accepted is JSON text of a network"),
        (" " * (northfell_json.MOST_BYTES + 1), "accepted is at most 34 MB"),
    ],
)  # fmt: skip
def test_bad_files_are_refused_in_words(data, told):
    assert told in refused(data)


def test_every_fault_is_told_at_once():
    text = refused(demo_with("W25", length_m=-1, r_ohm_per_km=-1))
    assert "length_m" in text
    assert "r_ohm_per_km" in text


def test_schema_holds_units_and_every_kind():
    schema = northfell_json.schema()
    cable = schema["$defs"]["Cable"]["properties"]
    assert cable["length_m"]["x-unit"] == "m"
    assert cable["length_m"]["x-needed-for"] == ["load_flow", "short_circuit", "arc_flash"]
    assert "id" not in cable
    assert len(schema["properties"]["elements"]["items"]["oneOf"]) == len(KINDS)
    assert schema["$defs"]["Relay"]["properties"]["curve"]["anyOf"][0]["enum"][0] == "IEC_SI"
