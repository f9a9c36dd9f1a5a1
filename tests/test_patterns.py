"""Reading what people type takes time in proportion to its length: no pattern in the program repeats what repeats."""

import ast
import re
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of

from northfell.app.data import columns, edits
from northfell.core.errors import NorthfellError
from northfell.core.model.declare.parameters import parameter, parameters_of
from northfell.core.model.elements import KINDS
from northfell.core.model.network import title_of
from northfell.core.quantities import LONGEST, parse_quantity, parse_wire_size
from northfell.core.shorthand.reading import MOST_CHARACTERS, parse

try:
    from re import _constants as told
    from re import _parser as reader
except ImportError:
    import sre_constants as told
    import sre_parse as reader
ROOT = Path(__file__).parent.parent / "src" / "northfell"
SMALL = 100  # a repeat up to so many times is a bounded one


def literal(node: ast.expr) -> str | None:
    """The text of a pattern; what is put into an f-string stands for one character."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else "N" for part in node.values)
    return None


def patterns() -> list[tuple[str, str]]:
    found = []
    for path in sorted(ROOT.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and isinstance(node.func.value, ast.Name) and node.func.value.id == "re":
                text = literal(node.args[0]) if node.args else None
                if text is not None and node.func.attr != "escape":
                    found.append((f"{path.name}:{node.lineno}", text))
            for keyword in getattr(node, "keywords", []):
                if keyword.arg == "pattern" and (text := literal(keyword.value)):
                    found.append((f"{path.name}:{keyword.value.lineno}", text))
    return found


def unbounded(parsed, inside: bool = False) -> int:
    """How many repeats have no small bound; one within another counts as two."""
    count = 0
    for op, args in parsed:
        if op in (told.MAX_REPEAT, told.MIN_REPEAT):
            _, high, inner = args
            wide = high is told.MAXREPEAT or high > SMALL
            count += wide + wide * inside + unbounded(inner, inside or wide)
        elif op is told.SUBPATTERN:
            count += unbounded(args[3], inside)
        elif op is told.BRANCH:
            count += max((unbounded(one, inside) for one in args[1]), default=0)
        elif op in (told.ASSERT, told.ASSERT_NOT):
            count += unbounded(args[1], inside)
    return count


@pytest.mark.parametrize(("where", "pattern"), patterns())
def test_no_pattern_holds_more_than_one_unbounded_repeat(where, pattern):
    assert unbounded(reader.parse(pattern)) <= 1


def test_the_measure_finds_what_blows_up():
    assert len(patterns()) > 15
    for bad in (r"^(a+)+$", r"(.*?)\s*[\[(]\s*([^\])]+?)\s*[\])]", r"^\s*(x*)\s*$", r"(?:[0-9][0-9 ]*)*"):
        assert unbounded(reader.parse(bad)) >= 2
    assert unbounded(reader.parse(r"[0-9]{1,20}(?:[.,][0-9]{1,20})?x*")) == 1


LONG = st.builds(
    lambda head, body, times, tail: head + body * times + tail,
    st.sampled_from(["", "1", "1 ", "-", "(", "[", "length (", "cable ", '"', "99x (", "0.", "full "]),
    st.sampled_from([" ", "1", "1 ", "\u2009", ",", ".", "(", ")", "x", "1e", "[", "]", "m", '"', "; a 1", ", load", "99x(", "\u2212", "to "]),
    st.integers(50, 5000),
    st.sampled_from(["", "x", ")", "]", "!", " kV", '"']),
)
NETWORK = network_of([{"kind": "bus", "name": "A", "v_nominal_kv": 11.0}])


@given(LONG)
def test_whatever_is_typed_is_read_or_refused(text):
    for read in (
        lambda: parse_quantity(text, "m", "length"),
        lambda: parse_wire_size(text),
        lambda: parse(text),
        lambda: columns.head_of(text, parameters_of(KINDS["cable"])),
        lambda: columns.cells_of(text),
        lambda: edits.read_typed(NETWORK, parameter(KINDS["synchronous_generator"], "output_levels"), text, title_of(NETWORK.elements["A"])),
        lambda: columns.read_cell(NETWORK, columns.Head(parameter(KINDS["cable"], "length_m"), "ft"), text, "here"),
    ):
        with suppress(NorthfellError):
            read()


def test_what_is_too_long_is_refused_and_what_fits_is_read():
    assert parse_quantity(" 1 234,5  km ", "m", "length") == 1_234_500
    assert parse_quantity("\u2212 3".replace(" ", "") + " deg", "deg", "angle") == -3
    with pytest.raises(NorthfellError):
        parse_quantity("1" * (LONGEST + 1), "m", "length")
    assert parse("load " + "x" * MOST_CHARACTERS)[0].kind == ""
    assert [s.kind for s in parse("2x (breaker, 3x (load 1 kW))")].count("load") == 6
    assert parse("99x (99x (99x (load)))")[0].kind == ""
    assert re.fullmatch(r"W\d+", "W1")


@pytest.mark.parametrize(
    ("typed", "expected"),
    [("full 2; night 0,8 MW", {"full": 2, "night": 0.8}), ("full=2", {"full": 2}), ("half load: 500 kW", {"half load": 0.5}), ("a b 1", {"a b": 1}),
     ("full | 2 MW; low |0.5", {"full": 2, "low": 0.5}), ("full\t2\nlow\t500 kW\n", {"full": 2, "low": 0.5}), (" ", {})],
)  # fmt: skip
def test_rows_as_people_type_them(typed, expected):
    assert edits.read_typed(NETWORK, parameter(KINDS["synchronous_generator"], "output_levels"), typed, "G") == [
        {"name": name, "p_mw": p_mw} for name, p_mw in expected.items()
    ]


@pytest.mark.parametrize(
    ("head", "name", "unit"),
    [("Length [m]", "length_m", "m"), ("length_m (ft)", "length_m", "ft"), ("Length m", "length_m", "m"), ("Length", "length_m", ""), ("Length [m", None, "")],
)
def test_heads_of_columns(head, name, unit):
    found = columns.head_of(head, parameters_of(KINDS["cable"]))
    assert (found.p.name if found else None, found.unit if found else "") == (name, unit)
