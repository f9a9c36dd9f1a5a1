"""Assemblies: parts of a network that engineers draw again and again, as shorthand with blanks to fill.

What an assembly places is ordinary; the line that it writes can be read, changed, and typed without it.
"""

import re
from dataclasses import dataclass

from northfell.core.errors import InputRefused, NetworkRefused, NotFound

LONGEST = 60  # characters of what is filled in


@dataclass(frozen=True)
class Blank:
    """One thing to fill in: its name in the line, what it is, and what stands there to begin with."""

    name: str
    label: str
    value: str


@dataclass(frozen=True)
class Assembly:
    """A named line of shorthand with blanks."""

    key: str
    title: str
    about: str
    starts: str  # what it hangs on
    line: str
    blanks: tuple[Blank, ...]

    def written(self, filled: dict[str, str]) -> str:
        """The line with its blanks filled.

        Raises
        ------
        NetworkRefused
            If something filled in would break out of its place.
        """
        values = {b.name: filled.get(b.name, "").strip() or b.value for b in self.blanks}
        for b in self.blanks:
            if len(values[b.name]) > LONGEST or any(c in values[b.name] for c in '(){};\n"“”'):
                accepted = f"up to {LONGEST} characters without brackets, quotes and semicolons"
                raise NetworkRefused([InputRefused(b.label, values[b.name], accepted, where=self.title)])
        return self.line.format(**values)


def _blanks(table: str) -> tuple[Blank, ...]:
    """Blanks from a table: name, label and value of each, parted by two blanks or more."""
    return tuple(Blank(*re.split(r"\s{2,}", line.strip())) for line in table.strip().splitlines())


ASSEMBLIES = (
    Assembly(
        "double-fed",
        "Double-fed switchboard",
        "Two transformer feeders, each to a section of a board, with a tie that stands open.",
        "the board of the infeeds",
        "(breaker 630 A, relay si 300 A tm 0.25 ct 400/1, tx {hv}/{lv} {power} {uk}% Dyn11, breaker 1250 A withdrawable, bus “{name} A”), "
        "(breaker 630 A, relay si 300 A tm 0.25 ct 400/1, tx {hv}/{lv} {power} {uk}% Dyn11, breaker 1250 A withdrawable, bus “{name} B”, "
        "(breaker 1250 A withdrawable open to “{name} A”))",
        _blanks("""
            hv     High side, kV         33
            lv     Low side, kV          11
            power  Rated power           10 MVA
            uk     Impedance voltage, %  10
            name   Name                  Main board
        """),
    ),
    Assembly(
        "unit-substation",
        "Unit substation",
        "Feeder breaker with relay, cable, transformer, and the main breaker of a low-voltage board.",
        "a medium-voltage board",
        "breaker 630 A, relay vi {pickup} tm 0.3 ct 150/1, cable {area} al xlpe {length}, tx {hv}/{lv} {power} {uk}% Dyn11 earthed, "
        "breaker {main}, bus “{name}”",
        _blanks("""
            hv      High side, kV         11
            lv      Low side, kV          0.42
            power   Rated power           1 MVA
            uk      Impedance voltage, %  6
            area    Cable, mm²            95
            length  Cable length          200 m
            pickup  Relay pickup          80 A
            main    Main breaker          1600 A
            name    Name of the board     LV board
        """),
    ),
    Assembly(
        "board",
        "Switchboard with feeders",
        "A board with a number of equal feeders: breaker, cable, load.",
        "a point where a board is wanted",
        "bus “{name}”, {n}x (breaker {rating}, cable {area} cu xlpe {length}, load {p} {q})",
        _blanks("""
            name    Name            Feeder board
            n       Feeders         4
            rating  Breaker         250 A
            area    Cable, mm²      70
            length  Cable length    40 m
            p       Load, active    60 kW
            q       Load, reactive  25 kvar
        """),
    ),
    Assembly(
        "mcc",
        "Motor control centre",
        "A board with motor ways: fuse, contactor, cable, motor.",
        "a point where a board is wanted",
        "mcc “{name}”, {n}x (fuse {fuse}, contactor {contactor}, cable {area} cu xlpe {length}, motor {p} {starter})",
        _blanks("""
            name       Name          MCC 1
            n          Motor ways    6
            fuse       Fuse, A       100
            contactor  Contactor     95 A
            area       Cable, mm²    25
            length     Cable length  35 m
            p          Motor         30 kW
            starter    Starter       direct
        """),
    ),
    Assembly(
        "earthed-neutral",
        "Impedance-earthed neutral",
        "An earthing transformer with a resistor in its star point, and current transformers for earth-fault detection.",
        "a medium-voltage board",
        "(breaker 400 A, ct {ct}, relay si {pickup} tm 0.2 ct {ct}, earthing transformer {current} resistor {ohm} 10 s)",
        _blanks("""
            current  Earth-fault current   400 A
            ohm      Resistor              16 ohm
            ct       Current transformers  100/1
            pickup   Relay pickup          40 A
        """),
    ),
    Assembly(
        "feeder-protection",
        "Feeder with protection",
        "Breaker, current transformers, overcurrent relay, cable.",
        "a board",
        "breaker {rating}, ct {ct}, relay {curve} {pickup} tm {tm} ct {ct}, cable {area} al xlpe {length}",
        _blanks("""
            rating  Breaker               630 A
            ct      Current transformers  300/1
            curve   Curve (si, vi, ei)    vi
            pickup  Pickup                240 A
            tm      Time multiplier       0.3
            area    Cable, mm²            240
            length  Cable length          350 m
        """),
    ),
    Assembly(
        "standby",
        "Standby generator with changeover",
        "A changeover switch between the network and a generator, feeding an essential board.",
        "a low-voltage board",
        "breaker {rating}, changeover {rating} (breaker {rating}, generator {power} {xd}%), bus “{name}”",
        _blanks("""
            rating  Rated current      800 A
            power   Generator          500 kVA
            xd      x″d, %             12
            name    Name of the board  Essential board
        """),
    ),
)


def assembly(key: str) -> Assembly:
    found = next((a for a in ASSEMBLIES if a.key == key), None)
    if found is None:
        raise NotFound(f"There is no assembly “{key}”. Accepted are {', '.join(a.key for a in ASSEMBLIES)}.")
    return found
