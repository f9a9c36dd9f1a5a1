"""Whatever stands in a file, a study ends in an answer: an exit code, JSON, and a message where it did not solve. Never a stack trace."""

import contextlib
import io
import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northfell.cli import main
from northfell.core.model.elements import KINDS
from northfell.core.model.settings import study_keys
from northfell.demo import skerrow_water
from northfell.formats import northfell_json

DEMO = json.loads(northfell_json.write(skerrow_water()))
NASTY = st.sampled_from(
    [None, -1, 0, 1e-300, 1e308, 1e400, float("nan"), True, "", "x", "<script>", "a\nb", [], {}, [[]], 0.5, 12.5, 1e6, "Filter hall", "Q31", "electronic", 3]
)


@pytest.fixture(scope="module")
def path(tmp_path_factory):
    return tmp_path_factory.mktemp("hostile") / "file.json"


def ends_in_an_answer(path, data, study) -> None:
    path.write_text(json.dumps(data))
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        code = main(["run", study, str(path), "--all-states"])
    answer = json.loads(out.getvalue())
    assert code in (0, 1, 2)
    assert answer["converged"] == (code == 0)
    assert code == 0 or answer["messages"]


@given(st.lists(st.tuples(st.integers(0, len(DEMO["elements"]) - 1), st.integers(0, 40), NASTY), min_size=1, max_size=3), st.sampled_from(study_keys()))
def test_any_value_in_any_field(path, changes, study):
    data = json.loads(json.dumps(DEMO))
    for at, field, value in changes:
        element = data["elements"][at]
        names = [*(KINDS[element["kind"]].model_fields if isinstance(element["kind"], str) and element["kind"] in KINDS else element), "kind", "extra"]
        element[names[field % len(names)]] = value
    ends_in_an_answer(path, data, study)


@given(
    st.lists(st.tuples(st.integers(0, len(DEMO["elements"]) - 1), st.integers(0, 9), st.floats(-4, 4)), min_size=1, max_size=4), st.sampled_from(study_keys())
)
def test_numbers_off_by_powers_of_ten(path, changes, study):
    """The usual mistake: a wrong unit."""
    data = json.loads(json.dumps(DEMO))
    for at, field, power in changes:
        element = data["elements"][at]
        numbers = [k for k, v in element.items() if isinstance(v, float)]
        if numbers:
            element[numbers[field % len(numbers)]] *= 10**power
    ends_in_an_answer(path, data, study)


@settings(max_examples=40)  # each runs a whole study over all states
@given(
    st.lists(st.tuples(st.integers(0, len(DEMO["elements"]) - 1), st.sampled_from(["closed", "in_service"]), st.booleans()), max_size=12),
    st.sampled_from(study_keys()),
)
def test_anything_open_or_out_of_service(path, changes, study):
    data = json.loads(json.dumps(DEMO))
    for at, field, value in changes:
        if field == "in_service" or data["elements"][at]["kind"] in ("breaker", "fuse", "switch"):
            data["elements"][at][field] = value
    ends_in_an_answer(path, data, study)


@pytest.mark.parametrize("part", ["elements", "states", "sheets", "settings", "name", "format", "format_version"])
@pytest.mark.parametrize(
    "value", [None, 5, "x", [], {}, [None], [{}], {"a": {}}, [{"name": "s", "differences": {"Q10": None}}], [{"name": "s", "placements": {"T3": {"x": 1}}}]]
)
def test_any_part_of_the_file(path, part, value):
    ends_in_an_answer(path, {**DEMO, part: value}, "load_flow")
