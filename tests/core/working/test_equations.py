"""What a working shows is what is computed: every equation's text is evaluated against its function, and every line of numbers against its result."""

import cmath
import math
import pkgutil
import re
from importlib import import_module

import pytest
from hypothesis import given
from hypothesis import strategies as st

import northfell.core.studies as studies
from northfell.app.results.studies import StateResults
from northfell.core.errors import NotFound
from northfell.core.quantities import figure
from northfell.core.studies import STUDIES, Asked
from northfell.core.working import Equation
from northfell.core.working.equation import SIGNS
from northfell.demo import skerrow_water

KNOWS = {"sqrt": math.sqrt, "exp": math.exp, "abs": abs, "min": min, "π": math.pi, "__builtins__": {}}


def declared() -> dict[str, Equation]:
    """Every equation of every study, by where it stands."""
    names = [m.name for m in pkgutil.walk_packages(studies.__path__, "northfell.core.studies.")]
    return {f"{name}:{key}": value for name in names for key, value in vars(import_module(name)).items() if isinstance(value, Equation)}


@pytest.mark.parametrize("where", declared())
@given(st.data())
def test_the_text_of_an_equation_gives_what_its_function_gives(where, data):
    equation = declared()[where]
    values = {name: data.draw(st.floats(0.2, 5), label=name) for name in dict.fromkeys(equation.symbols.values())}
    if any(symbol.startswith("|") for symbol in equation.symbols):  # a magnitude is taken of what may be complex
        values |= {name: cmath.rect(values[name], data.draw(st.floats(-3, 3))) for symbol, name in equation.symbols.items() if symbol.startswith("|")}
    assert set(equation.symbols) <= set(re.findall("|".join(map(re.escape, sorted(equation.symbols, key=len, reverse=True))), equation.text))
    assert eval(equation.expression(), KNOWS, values) == pytest.approx(equation.value(**values), rel=1e-12)


def test_numbers_are_put_in_for_whole_symbols_and_marked_where_assumed():
    both = Equation("ip", "κ·√2·I″k + √2·I″k,PF", lambda kappa, ik, added: kappa * ik + added, {"κ": "kappa", "I″k": "ik", "I″k,PF": "added"})
    assert both.put_in({"ik": "~"}, kappa=1.5, ik=2.0, added=0.25) == f"{figure(1.5, 5)}·√2·{figure(2.0, 5)}~ + √2·{figure(0.25, 5)}"
    losses = Equation("ΔS", "S1 + S2", lambda a, b: a + b, {"S1": "a", "S2": "b"})
    assert losses.put_in(a=1 + 2j, b=-1 - 1j) == "(1.0000 + j2.0000) + (−1.0000 − j1.0000)"


ARITHMETIC = re.compile(r"[\d\s.+\-*/()]+")


def evaluated(numbers: str) -> complex | None:
    """What a line of numbers comes to; None where it is not arithmetic alone."""
    text = re.sub(r"j(\d[\d.]*)", r"\1j", numbers.replace("~", "").replace("\u2009", "").replace(" min", ""))
    for sign, instead in SIGNS.items():
        text = text.replace(sign, instead)
    text = re.sub(r"\be\*\*\(", "exp(", text)
    if not re.search(r"[+*/]", text) or not ARITHMETIC.fullmatch(re.sub(r"sqrt|exp|(?<=\d)j", "", text)):
        return None
    return complex(eval(text, KNOWS))


def asked_of(one: StateResults):
    """Every figure whose working can be asked for in a state."""
    for study in STUDIES:
        for e in one.elements.values():
            for quantity in study.quantities:
                for case, variant in (("max", "full"), ("min", "reduced")):
                    yield study, Asked(e.id, quantity, case, variant)


def test_every_line_of_numbers_comes_to_the_figure_below_it():
    one = StateResults(skerrow_water(), "Tie closed, T2 out")
    lines = 0
    for study, asked in asked_of(one):
        try:
            working = study.explain(one.result(study), asked)
        except (NotFound, StopIteration, KeyError):
            continue
        for step in working.steps:
            found = evaluated(step.substituted) if isinstance(step.value, int | float | complex) else None
            if found is not None and not cmath.isnan(step.value):
                largest = max((abs(float(n)) for n in re.findall(r"\d+\.\d+", step.substituted)), default=0.0)
                room = 2e-4 * largest if re.search("[+−]", step.substituted) else 0.0  # a difference of rounded numbers
                told = f"{working.title}, {step.title}: {step.substituted} = {found}, not {step.value}"
                assert abs(found - step.value) <= max(room, 2e-3 * abs(step.value)), told
                lines += 1
    assert lines > 300
