"""What arrays of numbers are called in signatures, and the products of vectors."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]
Flags = npt.NDArray[np.bool_]


def crossed(a: npt.ArrayLike, b: npt.ArrayLike) -> Array:
    """(…, 3) the cross product of vectors (…, 3). NumPy's own looks for vectors of two numbers, and
    along other axes, first: for a few vectors that takes most of its time."""
    a, b = np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64)
    ax, ay, az, bx, by, bz = *(a[..., i] for i in range(3)), *(b[..., i] for i in range(3))
    x = ay * bz - az * by
    found = np.empty((*x.shape, 3))
    found[..., 0], found[..., 1], found[..., 2] = x, az * bx - ax * bz, ax * by - ay * bx
    return found


def size_of(vectors: Array) -> Array:
    """(…) the length of vectors (…, k). NumPy's own looks for other norms, and along other axes,
    first: for a few vectors that takes most of its time."""
    result: Array = np.sqrt(np.einsum("...i,...i->...", vectors, vectors))
    return result
