"""What every element has, and the terms its declarations share."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from northfell.core.model.declare.parameters import LINE_ACCEPTED, LINES_ACCEPTED, When, param

# Declarations read as a table.
# fmt: off

LF = "load_flow"
SC = "short_circuit"
AF = "arc_flash"
CO = "coordination"
UNSHOWN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u2028\u2029\ud800-\udfff]")  # control characters and halves of characters
NAME_ACCEPTED = "1 to 80 characters on one line"
LABEL_ACCEPTED = "1 to 40 characters without “|” and “;”"
IEC = "IEC 60909-0:2016"


def _one_line(name: str) -> str:
    if not 1 <= len(name) <= 80 or not name.isprintable() or name != name.strip():
        raise ValueError(NAME_ACCEPTED)
    return name


def _line(text: str) -> str:
    if len(text) > 200 or UNSHOWN.search(text) or "\n" in text or "\r" in text or "\t" in text:
        raise ValueError(LINE_ACCEPTED)
    return text


def _label(name: str) -> str:
    if not 1 <= len(name) <= 40 or not name.isprintable() or name != name.strip() or any(mark in name for mark in "|;"):
        raise ValueError(LABEL_ACCEPTED)
    return name


def _lines(text: str) -> str:
    if len(text) > 20_000 or UNSHOWN.search(text):
        raise ValueError(LINES_ACCEPTED)
    return text


Name = Annotated[str, AfterValidator(_one_line)]
Phrase = Annotated[str, AfterValidator(_line)]  # free text; what no screen can show, such as control characters, is none
Label = Annotated[str, AfterValidator(_label)]  # the name of a row in a table
Prose = Annotated[str, AfterValidator(_lines)]
Reference = Annotated[str, Field(min_length=1, max_length=200)]


RECORD = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)
ORIGINS = ("nameplate", "test report", "catalogue", "own", "carried")  # of a value; what is typical stands in `assumed` with its source


class Document(BaseModel):
    """A document at an element, by the digest of its content; the content is kept beside the network."""

    model_config = RECORD
    name: Name
    media_type: str = Field(max_length=100, pattern=r"^[a-z]{1,20}/[a-z0-9.+-]{1,79}(; charset=utf-8)?$")
    size: int = Field(ge=0, le=2**40)
    sha256: str = Field(pattern="^[0-9a-f]{64}$")


@dataclass(frozen=True)
class About:
    """What a kind says of itself to those who draw, type, list and connect it."""

    group: str = ""  # under which its symbol stands in the tray; empty: it is not drawn from there
    short: str = ""  # there, where its title is too long
    variants: Mapping[str, str] = field(default_factory=dict)  # of a bus: further kinds in the tray, with what they are called there
    words: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)  # first words in the shorthand, with what each sets
    example: str = ""  # of a line of shorthand
    typed: Mapping[str, str] = field(default_factory=dict)  # quantity of a typed unit -> field
    count: str = ""  # field that takes a typed number of like ones
    data: tuple[tuple[str, str], ...] = ()  # the nameplate values that tell what it is, with their units
    needs: Mapping[str, Any] = field(default_factory=dict)  # what it cannot be without, to begin with
    depth: float = 0.0  # steps from bus to bus on the sheet of what has long words beside it; devices have none
    delivers: bool = False  # its power is told as delivered
    begins: bool = False  # may begin a drawing, with a board of its own
    same_voltage: bool = False  # all its sides stand at one nominal voltage


class Element(BaseModel):
    """What every element has."""

    model_config = RECORD
    ABOUT: ClassVar[About] = About()
    ORDERS: ClassVar[str] = ""  # field with the device that it opens
    HELD_BY: ClassVar[str] = ""  # field with the device at which it stands, of what has no terminals
    TERMINALS: ClassVar[tuple[str, ...]] = ()
    TITLE: ClassVar[str]
    LETTER: ClassVar[str] = ""  # of default names, after the classes of IEC 81346-2

    kind: str
    id: Reference
    name: Name = param(label="Name", meaning="Unique in the network; results, labels and files use it.", section="Identity")
    label: Phrase = param("", label="Text name", meaning="A second, free name, such as the text name in an imported file.", section="Identity")
    group: Phrase = param(
        "", label="Group", section="Identity", meaning="Elements of one group have their load or generation scaled together by an operating state.",
        enters="a state's factor of the group multiplies the power drawn or delivered"
    )
    locked: bool = param(
        False, label="Data locked", section="Identity",
        meaning="Its data stay as they are until it is unlocked; its position, and what else a state may hold, can still be operated."
    )
    status: Literal["existing", "planned", "to be removed"] = param(
        "existing", label="Standing", section="Operation",
        meaning="A planned element is out of service except in the operating states that include it.",
        enters="planned: out of service unless a state includes it"
    )
    in_service: bool = param(True, label="In service", meaning="Out of service, the element takes no part in any study.", section="Operation", in_state=True)
    note: Prose = param("", label="Note", meaning="Free text for whoever stands at the equipment.", section="Notes")
    assumed: dict[str, Phrase] = Field(default_factory=dict)  # field -> source of the typical value it holds
    origins: dict[str, Phrase] = Field(default_factory=dict)  # field -> where its value was read: one of ORIGINS, with words behind a colon
    catalogue: Phrase = Field(default="")  # the catalogue entry that its data follow
    documents: list[Document] = Field(default_factory=list, max_length=50)

    @property
    def buses(self) -> tuple[str, ...]:
        """The ids of the buses at its terminals, in terminal order."""
        held = self.__dict__  # asked for very often
        return tuple([held[terminal] for terminal in self.TERMINALS])

    @property
    def holder(self) -> str | None:
        """The device at which it stands, for what has no terminals."""
        return self.__dict__[self.HELD_BY] if self.HELD_BY else None

    @property
    def orders(self) -> str | None:
        """The device that it opens."""
        return self.__dict__[self.ORDERS] if self.ORDERS else None

    @property
    def joined(self) -> tuple[int, int] | None:
        """Positions of the two terminals that a switching device joins without impedance; None if it joins none."""
        return None

    @property
    def feeds(self) -> bool:
        """Whether it keeps an island under voltage by itself."""
        return False

    @property
    def runs(self) -> bool:
        """Whether it draws or delivers anything as it is run; what stands by does not."""
        return True


Neutral = Literal["isolated", "solid", "resistor", "reactor", "resonant"]
WITHSTAND = "IEC 62271-1, IEC 61439-1"


def short_time_ka(what: str) -> Any:
    """The rated short-time withstand current of some equipment."""
    return param(
        None, label="Short-time current", symbol="Icw", unit="kA", gt=0, le=500, section="Short-circuit rating", source=WITHSTAND,
        meaning=f"Rms current that {what} carries for the rated time. Empty: not assessed.", enters="duty: Ith·√Tk against Icw·√tcw"
    )


def short_time_s() -> Any:
    return param(
        1.0, label="For", symbol="tcw", unit="s", gt=0, le=10, section="Short-circuit rating", acts_when=When("i_short_time_ka"), source=WITHSTAND,
        meaning="Rated time of the short-time current.", enters="duty: Icw²·tcw is what it withstands"
    )


def peak_ka(label: str, meaning: str, enters: str) -> Any:
    return param(
        None, label=label, symbol="Ipk", unit="kA", gt=0, le=1300, section="Short-circuit rating", source=WITHSTAND, meaning=meaning, enters=enters
    )


NEUTRAL = ("resistor", "reactor", "resonant")  # earthing through an impedance


def neutral(label: str, meaning: str) -> Any:
    """How a star point is earthed; the sheet draws it at the machine."""
    return param(
        None, label=label, section="Earthing", in_state=True,
        meaning=f"{meaning} Resonant: a coil tuned to the capacitance to earth. Empty: not known, or no star point.",
        enters="zero sequence of earth faults: 3·ZN in series; isolated: open"
    )


def neutral_ohm(label: str, field: str) -> Any:
    return param(
        None, label=label, symbol="ZN", unit="ohm", gt=0, le=1e6, section="Earthing", acts_when=When(field, NEUTRAL), in_state=True,
        meaning="Impedance between star point and earth; it stands on the sheet beside the machine.", source=IEC,
        enters="3·ZN in the zero sequence of earth faults; IE = Un/(√3·ZN) is derived from it"
    )


def terminal(label: str, meaning: str) -> Any:
    return param(label=label, meaning=meaning, section="Connection", refers_to=("bus",))
