"""Every function that changes a rig, called with what is in no rig and with numbers that are none:
it refuses in words, or what it gives can be saved and opened again."""

from __future__ import annotations

import collections
import importlib
import inspect
import math
import pkgutil
import random
import types
import typing
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

import msgspec
import numpy as np
import pytest
from tests.attack.conftest import Rounds

import gremio
from gremio.core import edit, make
from gremio.core.files import rig_file
from gremio.core.files.sources import model_shelf
from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig

_NUMBERS = [0.0, 1.0, -1.0, 0.3, -1e-9, 1e9, math.nan, math.inf, -math.inf, 1e308]
_COUNTS = [-1, -7, 0, 1, 3, 10**6]
_NOBODY = ["", " ", "p999", "c999", "k999", "turn", "p1 turn q", "nobody turn z", "banana"]


def called() -> Iterator[Callable[..., Any]]:
    """The functions of two rooms that are given a rig first."""
    for room in (edit, make):
        for found in pkgutil.iter_modules(room.__path__):
            module = importlib.import_module(f"{room.__name__}.{found.name}")
            for name, function in vars(module).items():
                mine = inspect.isfunction(function) and function.__module__ == module.__name__
                if mine and not name.startswith("_") and _takes_rig(function):
                    yield function


def _takes_rig(function: Callable[..., Any]) -> bool:
    first = next(iter(inspect.signature(function).parameters.values()), None)
    return first is not None and first.annotation == "Rig"


def call(function: Callable[..., Any], rig: Rig, given: dict[str, Any]) -> Any:
    """Call a function with what it is given by name; the last by place, where it takes many."""
    many = [
        given.pop(n)
        for n, p in inspect.signature(function).parameters.items()
        if p.kind is inspect.Parameter.VAR_POSITIONAL
    ]
    return function(rig, *many, **given) if many else function(rig, **given)


class Pool:
    """What stands in a rig, by its type."""

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.pose = gremio.solve(rig)
        self.geometry = partial(model_shelf().geometry, rig)
        self.structs: dict[type, list[Any]] = collections.defaultdict(list)
        self._gather(rig)
        self.channels = list(self.pose.program.channel_keys)

    def _gather(self, value: Any) -> None:
        if isinstance(value, msgspec.Struct):
            self.structs[type(value)].append(value)
            for name in value.__struct_fields__:
                self._gather(getattr(value, name))
        elif isinstance(value, dict):
            for one in value.values():
                self._gather(one)
        elif isinstance(value, tuple | list):
            for one in value:
                self._gather(one)

    def some(self, hint: Any, rng: random.Random, *, wrong: bool, called: str = "") -> Any:
        """A value of a type: one that stands in the rig, or one that can't be right. called: by
        which name it is given."""
        if hint in (ThingId, ChannelKey, PartId):
            return self._id(hint, rng, wrong, called.removesuffix("_id"))
        if hint is float:
            return rng.choice(_NUMBERS if wrong else _NUMBERS[:4])
        if hint is int:
            return rng.choice(_COUNTS if wrong else _COUNTS[2:5])
        if hint is bool:
            return rng.random() < 0.5
        if hint is str:
            return rng.choice([*_NOBODY, "Gate", "turn z", "move x", "1/3 + 2", "x" * 300])
        if hint is type(None):
            return None
        is_struct = isinstance(hint, type) and issubclass(hint, msgspec.Struct)
        # Records are what is computed; only what a rig is made of is gathered from one.
        if is_struct and not issubclass(hint, Record):
            return self._struct(hint, rng, wrong)
        return self._of_many(hint, rng, wrong)

    def _id(self, hint: Any, rng: random.Random, wrong: bool, called: str) -> Any:
        if wrong:
            return rng.choice(_NOBODY)
        if hint is ChannelKey:
            return rng.choice(self.channels)
        table = getattr(self.rig, f"{called}s", None)
        if hint is PartId or not isinstance(table, dict):
            table = self.rig.parts if hint is PartId else rng.choice(_tables(self.rig))
        return rng.choice(list(table) or ["p1"])

    def _struct(self, hint: type, rng: random.Random, wrong: bool) -> Any:
        if hint is Rig:
            return self.rig
        fields = typing.get_type_hints(hint, include_extras=True)
        if hint not in self.structs:
            # The demonstration has none: one of whatever its type says.
            needed = [f.name for f in msgspec.structs.fields(hint) if f.required]
            self.structs[hint].append(
                hint(**{n: self.some(fields[n], rng, wrong=False, called=n) for n in needed})
            )
        one = rng.choice(self.structs[hint])
        if wrong and one.__struct_fields__:
            name = rng.choice(one.__struct_fields__)
            one = msgspec.structs.replace(one, **{name: self.some(fields[name], rng, wrong=True)})
        return one

    def _of_many(self, hint: Any, rng: random.Random, wrong: bool) -> Any:
        origin, inside = typing.get_origin(hint), typing.get_args(hint)
        if origin is typing.Literal:
            return rng.choice(["banana", *inside] if wrong else list(inside))
        if "ArrayLike" in str(hint) or "_SupportsArray" in str(hint):
            return self._array(rng, wrong)
        if origin in (typing.Union, types.UnionType):
            return self.some(rng.choice(inside), rng, wrong=wrong)
        if origin is typing.Annotated:
            return self.some(inside[0], rng, wrong=wrong)
        if hint is gremio.Pose:
            return self.pose
        if origin is np.ndarray:
            return self._array(rng, wrong)
        if origin is collections.abc.Callable:
            if typing.get_args(hint)[0] == [float]:
                return rng.choice([float, lambda value: 2.0 * value + 0.3])
            if typing.get_args(hint)[0] == [Rig, ThingId]:
                return lambda rig, _thing: rig
            return self.geometry
        many = rng.choice([0, 1, 2, 3])
        if origin is tuple and inside[-1:] != (...,):
            return tuple(self.some(one, rng, wrong=wrong) for one in inside)
        if origin in (dict, collections.abc.Mapping):
            return {
                self.some(inside[0], rng, wrong=wrong and rng.random() < 0.5): self.some(
                    inside[1], rng, wrong=wrong
                )
                for _ in range(many)
            }
        if origin is not None and issubclass(origin, collections.abc.Iterable):
            found = [self.some(inside[0], rng, wrong=wrong) for _ in range(many)]
            return tuple(found) if origin is tuple else found
        if hint is typing.Any or isinstance(hint, typing.TypeVar):
            return rng.choice(_NOBODY)
        if hint is slice:
            return slice(rng.randrange(3), rng.randrange(5))
        return self._record(hint, rng, wrong)

    def _array(self, rng: random.Random, wrong: bool) -> Any:
        made = np.eye(rng.choice([3, 4])) if rng.random() < 0.5 else np.array([1.0, 0.0, 2.0])
        if wrong:
            made.flat[rng.randrange(made.size)] = rng.choice(_NUMBERS)
        return made

    def _record(self, hint: Any, rng: random.Random, wrong: bool) -> Any:
        """A named tuple or a record."""
        fields = typing.get_type_hints(hint)
        spoilt = rng.choice(list(fields)) if wrong else ""
        return hint(**{n: self.some(t, rng, wrong=n == spoilt) for n, t in fields.items()})


def _tables(rig: Rig) -> list[dict[Any, Any]]:
    return [v for f in rig.__struct_fields__ if isinstance(v := getattr(rig, f), dict)]


@pytest.fixture(scope="session")
def pool(lock: Rig) -> Pool:
    return Pool(lock)


FUNCTIONS = {f"{f.__module__.split('.')[-1]}.{f.__name__}": f for f in called()}


def test_calls(rounds: Rounds, pool: Pool) -> None:
    whole = rig_file.encode(pool.rig)
    names = sorted(FUNCTIONS)
    for number, rng in enumerate(rounds(len(names))):
        function = FUNCTIONS[names[number % len(names)]]
        hints = typing.get_type_hints(function, include_extras=True)
        told = list(inspect.signature(function).parameters)[1:]
        spoilt = rng.sample(told, min(len(told), rng.choice([0, 1, 1, 2])))
        given = {n: pool.some(hints[n], rng, wrong=n in spoilt, called=n) for n in told}
        try:
            found = call(function, pool.rig, given)
        except GremioError:
            continue
        except Exception as error:
            pytest.fail(f"{function.__name__}({given}): {error!r}")
        for rig in found if isinstance(found, tuple) else (found,):
            if isinstance(rig, Rig):
                data = rig_file.encode(rig)
                assert rig_file.decode(data) == rig, f"{function.__name__}({given})"
    assert rig_file.encode(pool.rig) == whole
