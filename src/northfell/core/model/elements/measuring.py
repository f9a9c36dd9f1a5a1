"""Instrument transformers. They take no part in the balanced studies; sheets, labels and reports show them."""

from typing import Literal

from northfell.core.model.declare.parameters import param
from northfell.core.model.elements.base import About, Element, Phrase, Reference, terminal

# Declarations read as a table.
# fmt: off


class CurrentTransformer(Element):
    """Current transformers at a switching device or a branch."""

    TITLE, LETTER, HELD_BY = "Current transformer", "B", "measures"
    ABOUT = About(
        group="Measuring", short="Current", words={"ct": {}}, example="ct 300/1 5P20", typed={"apparent power": "burden_va"}
    )
    kind: Literal["current_transformer"] = "current_transformer"
    measures: Reference = param(
        label="Measures", meaning="The device or branch whose current it measures.", section="Connection",
        refers_to=("breaker", "switch", "fuse", "contactor", "cable", "line", "trunking", "transformer")
    )
    mounted: Literal["first terminal", "second terminal", "neutral", "core balance"] = param(
        "first terminal", label="Mounted at", section="Connection",
        meaning="On the lead at the first or the second terminal of what it measures, in the neutral, or around all phases.",
        enters="protection zones: where their edge is"
    )
    units: Literal["set of three", "single"] = param(
        "set of three", label="Units", section="Connection", meaning="One in each phase, or one alone.",
        enters="protection zones: a single one is at the edge of none"
    )
    zone: Phrase = param(
        "", label="Bounds zone", section="Connection", meaning="Name of the protection zone at whose edge it stands, such as that of a transformer, a bar or "
        "a feeder. Empty: of none.", enters="protection zones: what no zone covers, and where two do not overlap"
    )
    zone_lies: Literal["first terminal", "second terminal"] = param(
        "second terminal", label="Zone lies toward", section="Connection",
        meaning="On which side the zone lies: toward the far terminal the device itself is within.", enters="protection zones: what is covered"
    )
    i_primary_a: float | None = param(
        None, label="Primary current", symbol="Ipn", unit="A", gt=0, le=50000, meaning="Rated primary current.",
        enters="coordination: ratio of the relays, and ALF·Ipn against the greatest fault"
    )
    i_secondary_a: float = param(
        1.0, label="Secondary current", symbol="Isn", unit="A", gt=0, le=10, meaning="Rated secondary current.", enters="coordination: ratio of the relays"
    )
    accuracy_class: Phrase = param(
        "", label="Accuracy class", meaning="As on the nameplate, such as 5P20 or C200.", source="IEC 61869-2, IEEE C57.13",
        enters="coordination: accuracy limit against the greatest fault"
    )
    burden_va: float | None = param(
        None, label="Rated burden", symbol="Sr", unit="VA", gt=0, le=1000, meaning="Rated output.",
        enters="coordination: Rb,rated = Sr/Isn² in the actual accuracy limit"
    )
    r_ct_ohm: float | None = param(
        None, label="Winding resistance", symbol="Rct", unit="ohm", ge=0, le=1000, meaning="Of the secondary winding, hot.", source="IEC 61869-2",
        enters="coordination: n·(Rct + Rb,rated)/(Rct + Rb)"
    )
    burden_ohm: float | None = param(
        None, label="Connected burden", symbol="Rb", unit="ohm", gt=0, le=1000,
        meaning="Leads and relays as they are: a lead there and back for a fault to earth, once for one between all phases. Empty: as rated.",
        source="IEEE C37.110", enters="coordination: actual accuracy limit, and when the direct part of a fault saturates it"
    )

class VoltageTransformer(Element):
    """Voltage transformers on a bus."""

    TITLE, TERMINALS, LETTER = "Voltage transformer", ("bus",), "B"
    ABOUT = About(
        group="Measuring", short="Voltage", words={"vt": {}}, example="vt 11000/110 V", typed={"apparent power": "burden_va", "voltage": "v_primary_kv"},
        data=(("v_primary_kv", "kV"),)
    )
    kind: Literal["voltage_transformer"] = "voltage_transformer"
    bus: Reference = terminal("Bus", "Where the voltage is measured.")
    v_primary_kv: float | None = param(
        None, label="Primary voltage", symbol="Upn", unit="kV", gt=0, le=1200, meaning="Rated primary line-to-line voltage.",
        enters="not used by today's studies"
    )
    v_secondary_v: float = param(
        110.0, label="Secondary voltage", symbol="Usn", unit="V", gt=0, le=500, meaning="Rated secondary line-to-line voltage.",
        enters="not used by today's studies"
    )
    accuracy_class: Phrase = param("", label="Accuracy class", meaning="As on the nameplate, such as 0.5 3P.", source="IEC 61869-3")
    burden_va: float | None = param(
        None, label="Rated burden", symbol="Sr", unit="VA", gt=0, le=1000, meaning="Rated output.", enters="not used by today's studies"
    )
