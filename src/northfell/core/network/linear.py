"""The sparse solvers behind one small face: SuperLU, which comes with SciPy, and KLU, twice as fast, where it is installed."""

from importlib import import_module
from importlib.util import find_spec
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csc_array, csc_matrix
from scipy.sparse.linalg import splu

KLU: Any = import_module("PyKLU").Klu if find_spec("PyKLU") else None
CACHE = 2**14  # numbers of right-hand sides at a time: SuperLU is several times slower where they do not fit into the cache
FEWEST, MOST = 8, 64  # right-hand sides at a time
MOST_RESIDUAL = 1e-9  # of the sizes that were subtracted: KLU gives a singular matrix no error, and the right-hand side as its answer


class SingularMatrix(ArithmeticError):
    """The matrix cannot be factorised: some unknown is not tied to anything."""


class Factorised:
    """A sparse matrix, factorised once and held for many right-hand sides. Sent to another process, it is factorised there when it is asked."""

    def __init__(self, matrix: Any, structurally_symmetric: bool = False) -> None:
        self._matrix, self._symmetric = csc_array(matrix), structurally_symmetric
        self._lu: Any = self._made()

    def _made(self) -> Any:
        options = {"SymmetricMode": True} if self._symmetric else {}
        order: Literal["MMD_AT_PLUS_A", "COLAMD"] = "MMD_AT_PLUS_A" if self._symmetric else "COLAMD"
        threshold = 0.01 if self._symmetric else 1.0
        try:
            return splu(self._matrix, permc_spec=order, diag_pivot_thresh=threshold, options=options)
        except RuntimeError as error:
            raise SingularMatrix(str(error)) from None

    @property
    def factors(self) -> Any:
        """The factors, with the order in which rows and columns stand in them."""
        if self._lu is None:
            self._lu = self._made()
        return self._lu

    def __getstate__(self) -> dict[str, Any]:
        return {**self.__dict__, "_lu": None}

    def solve(self, rhs: NDArray[Any], transposed: bool = False) -> NDArray[Any]:
        """Solve for one or many right-hand sides, perhaps with the transposed matrix.

        Raises
        ------
        SingularMatrix
            If the answer is not finite.
        """
        way, factors = "T" if transposed else "N", self.factors
        together = max(FEWEST, min(MOST, CACHE // max(len(rhs), 1)))
        if rhs.ndim == 1 or rhs.shape[1] <= together:
            answer: NDArray[Any] = factors.solve(rhs, way)
        else:
            answer = np.empty(rhs.shape, rhs.dtype, order="F")
            for start in range(0, rhs.shape[1], together):
                answer[:, start : start + together] = factors.solve(rhs[:, start : start + together], way)
        if not np.all(np.isfinite(answer)):
            raise SingularMatrix("the answer is not finite")
        return answer


def solve_once(matrix: csc_array, rhs: NDArray[np.float64]) -> NDArray[np.float64]:
    """Solve a system that is solved for once: by KLU where it is there and its residual holds, else by SuperLU.

    Raises
    ------
    SingularMatrix
        If the matrix cannot be factorised, or the answer is not finite.
    """
    if KLU is not None and len(rhs):
        answer: NDArray[np.float64] = KLU(csc_matrix(matrix)).solve(rhs)
        if np.all(np.isfinite(answer)) and _holds(matrix, answer, rhs):
            return answer
    return Factorised(matrix).solve(rhs)


def _holds(matrix: csc_array, answer: NDArray[np.float64], rhs: NDArray[np.float64]) -> bool:
    sizes = abs(matrix) @ np.abs(answer) + np.abs(rhs)
    return bool(np.all(np.abs(matrix @ answer - rhs) <= MOST_RESIDUAL * sizes.max()))
