"""The diagonal of an inverse from its factors, against the inverse itself."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.sparse import csc_array

from northfell.core.network import selected
from northfell.core.network.linear import Factorised


def admittances(n: int, seed: int, links: int, shift: float = 0.0) -> np.ndarray:
    """A network of n nodes hung together at random, each with a little to earth; `shift` turns every link, so that it is not symmetric."""
    rng = np.random.default_rng(seed)
    y = np.diag(rng.uniform(0.01, 0.1, n) * (1 - 5j))
    pairs = [(int(rng.integers(0, k)), k) for k in range(1, n)] + [tuple(rng.choice(n, 2, replace=False)) for _ in range(links if n > 2 else 0)]
    for a, b in pairs:
        one = 1 / (rng.uniform(0.01, 0.5) + 1j * rng.uniform(0.05, 1))
        turn = np.exp(1j * shift * rng.uniform(-1, 1))
        y[a, a] += one
        y[b, b] += one
        y[a, b] -= one / np.conj(turn)
        y[b, a] -= one / turn
    return y


@given(st.integers(1, 60), st.integers(0, 2**31), st.integers(0, 40), st.sampled_from([0.0, 0.6]))
def test_it_is_the_diagonal_of_the_inverse(n, seed, links, shift):
    y = admittances(n, seed, links, shift)
    found = selected.diagonal(Factorised(csc_array(y), structurally_symmetric=True), n, np.arange(n))
    assert found == pytest.approx(np.diag(np.linalg.inv(y)), rel=1e-9)


def test_one_pattern_serves_several_matrices_and_another_pattern_none_of_them(monkeypatch):
    """The second matrix finds its pattern known, the third has another; not one column of them all is solved for beyond the three that check."""
    made, solved = [], []
    whole, columns = selected._batches, selected._by_columns
    monkeypatch.setattr(selected, "_batches", lambda *given: made.append(1) or whole(*given))
    monkeypatch.setattr(selected, "_by_columns", lambda factor, n, wanted: solved.append(len(wanted)) or columns(factor, n, wanted))
    selected._batches_of.cache_clear()
    for y in (admittances(40, 1, 9), 2 * admittances(40, 1, 9, 0.3), admittances(40, 2, 9)):
        found = selected.diagonal(Factorised(csc_array(y), structurally_symmetric=True), 40, np.arange(40))
        assert found == pytest.approx(np.diag(np.linalg.inv(y)), rel=1e-9)
    assert len(made) == 2
    assert not solved


@given(st.integers(2, 25), st.integers(0, 2**31), st.integers(0, 12), st.sampled_from([0.0, 0.4]))
def test_entries_between_joined_nodes_are_those_of_the_inverse_in_both_directions(n, seed, links, shift):
    y = admittances(n, seed, links, shift)
    found = selected.entries(Factorised(csc_array(y), structurally_symmetric=True), np.arange(n))
    rows, columns = np.nonzero(y)
    assert found.at(rows, columns) == pytest.approx(np.linalg.inv(y)[rows, columns], rel=1e-9)


def test_what_was_not_asked_for_stays_unknown_and_no_place_asked_for_is_none():
    y = admittances(12, 3, 4)
    factor = Factorised(csc_array(y), structurally_symmetric=True)
    found = selected.diagonal(factor, 12, np.array([2, 7]))
    assert np.flatnonzero(np.isfinite(found)).tolist() == [2, 7]
    assert not np.isfinite(selected.diagonal(factor, 12, np.zeros(0, int))).any()


@pytest.mark.parametrize("wrong", ["diagonal", "beside", "pivots"])
def test_other_pivots_and_a_wrong_entry_are_solved_for_instead(wrong, monkeypatch):
    """A pivot that had to be sought elsewhere, and an entry that is not that of its column: the columns are solved for."""
    y = admittances(20, 5, 10)
    if wrong != "pivots":
        right, part = selected._selected, "diagonal" if wrong == "diagonal" else "below"

        def off(lu):
            found = right(lu)
            return replace(found, **{part: getattr(found, part) * (1 + 1e-6)})

        monkeypatch.setattr(selected, "_selected", off)
    else:
        y = np.roll(y, 1, axis=0)  # large entries beside the diagonal
    factor, every = Factorised(csc_array(y)), np.arange(20)
    assert selected.entries(factor, every) is None
    assert selected.diagonal(factor, 20, every) == pytest.approx(np.diag(np.linalg.inv(y)), rel=1e-9)
