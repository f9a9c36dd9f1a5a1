"""The sparse solver behind one small face."""

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csc_array
from scipy.sparse.linalg import splu


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
        answer: NDArray[Any] = self.factors.solve(rhs, "T" if transposed else "N")
        if not np.all(np.isfinite(answer)):
            raise SingularMatrix("the answer is not finite")
        return answer
