"""The library of compiled kernels, and how arrays are handed to it.

Whoever hands arrays to a kernel (its door) has looked at their sizes, and at every index in them:
a kernel does not.
"""

from __future__ import annotations

import ctypes
import functools
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

PATH = Path(__file__).parent / "libgremio.so"
_ROOM = -1
_ARGUMENTS = {"p": ctypes.c_void_p, "w": ctypes.c_int64, "d": ctypes.c_double}


def _loaded() -> tuple[ctypes.CDLL, ctypes.CDLL]:
    if not PATH.exists():
        raise ImportError(
            f"Gremio's kernels are not compiled: {PATH} is not there. In a checkout, "
            "`make ready` compiles them; a wheel brings them along."
        )
    return ctypes.PyDLL(str(PATH)), ctypes.CDLL(str(PATH))


_ALONE, _BESIDE = _loaded()


class Kernel:
    """A function of the library.

    alone: keeps the interpreter's lock, which is best for what takes microseconds. beside: lets
    other threads run meanwhile, for what takes longer. arguments: a letter each, p for the address
    of an array or a table, w for a whole number, d for another.
    """

    def __init__(self, name: str, arguments: str) -> None:
        self.alone, self.beside = getattr(_ALONE, name), getattr(_BESIDE, name)
        for function in (self.alone, self.beside):
            function.argtypes = [_ARGUMENTS[letter] for letter in arguments]
            function.restype = ctypes.c_int64


def address(array: npt.NDArray[Any]) -> int:
    """Where an array has its first number. Raises ValueError for one that is not in C order."""
    try:
        # A third of what asking the array takes; of one that can be written to.
        return ctypes.addressof(ctypes.c_char.from_buffer(array))  # type: ignore[arg-type]
    except (TypeError, ValueError, BufferError):
        if not array.flags.c_contiguous:
            raise ValueError("a kernel reads arrays in C order only") from None
        return array.ctypes.data


def had_room(told: int) -> int:
    """What a kernel told. Raises MemoryError where it had no room."""
    if told == _ROOM:
        raise MemoryError("there is no room to compute this in")
    return told


def check_rows(rows: npt.NDArray[np.integer[Any]], low: int, end: int, what: str) -> None:
    """Refuse indices outside low to end. Raises ValueError."""
    if rows.size and not (low <= int(rows.min()) and int(rows.max()) < end):
        raise ValueError(f"{what}: an index is outside {low} to {end - 1}")


# The members of a structure of a kernel, in its order, each with its letter as Kernel has them.
Form = tuple[tuple[str, str], ...]


def structure(**members: str) -> Form:
    """The form of a structure. members: their letters, in the kernel's order."""
    return tuple(members.items())


@functools.cache
def class_of(form: Form) -> type[ctypes.Structure]:
    """What is made of a form."""
    members = [(name, _ARGUMENTS[letter]) for name, letter in form]
    return type("Structure", (ctypes.Structure,), {"_fields_": members})


class Table:
    """A structure of arrays and numbers, as a kernel reads it. Kept, copied and pickled by what it
    holds, so that its addresses are always those of arrays that are there.

    fields: by their names in the form. Raises ValueError for an array of another kind of number, or
    in another order.
    """

    __slots__ = ("_fields", "_form", "address", "structure")

    def __init__(self, form: Form, fields: dict[str, Any]) -> None:
        self._form, self._fields = form, fields
        told = {}
        for name, value in fields.items():
            told[name] = value
            if isinstance(value, np.ndarray):
                if value.dtype not in (np.float64, np.intp, np.bool_):
                    raise ValueError(f"{name}: a kernel does not read {value.dtype}")
                told[name] = address(value)
        self.structure = class_of(form)(**told)
        self.address = ctypes.addressof(self.structure)

    def __reduce__(self) -> tuple[Any, ...]:
        return Table, (self._form, self._fields)
