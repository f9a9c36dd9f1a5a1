"""The sparse solver behind one small face."""

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csc_array
from scipy.sparse.linalg import splu


class SingularMatrix(ArithmeticError):
    """The matrix cannot be factorised: some unknown is not tied to anything."""


class Factorised:
    """A sparse matrix, factorised once and held for many right-hand sides."""

    def __init__(self, matrix: Any, structurally_symmetric: bool = False) -> None:
        options = {"SymmetricMode": True} if structurally_symmetric else {}
        order: Literal["MMD_AT_PLUS_A", "COLAMD"] = "MMD_AT_PLUS_A" if structurally_symmetric else "COLAMD"
        threshold = 0.01 if structurally_symmetric else 1.0
        try:
            self._lu = splu(csc_array(matrix), permc_spec=order, diag_pivot_thresh=threshold, options=options)
        except RuntimeError as error:
            raise SingularMatrix(str(error)) from None

    def solve(self, rhs: NDArray, transposed: bool = False) -> NDArray:
        """Solve for one or many right-hand sides, perhaps with the transposed matrix.

        Raises
        ------
        SingularMatrix
            If the answer is not finite.
        """
        answer: NDArray = self._lu.solve(rhs, "T" if transposed else "N")  # type: ignore[call-overload]
        if not np.all(np.isfinite(answer)):
            raise SingularMatrix("the answer is not finite")
        return answer
