"""The clock: frames and time code, and where a routine is at a time."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Literal

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.problem import GremioError

Ends = Literal["once", "round", "to and fro"]
# Frames a second that are usual; of those that are no whole numbers the exact fraction.
RATES: dict[str, tuple[int, int]] = {
    "24": (24, 1),
    "25": (25, 1),
    "29.97": (30000, 1001),
    "30": (30, 1),
    "50": (50, 1),
    "59.94": (60000, 1001),
    "60": (60, 1),
}
_LEAST, _MOST = Fraction(1, 100), Fraction(1000)
_CODE = re.compile(r"(\d+):(\d\d):(\d\d)[:;](\d+)")
# Of rates in this family frame numbers are dropped so that the code keeps to the clock.
_DROPPED = 1001


def rate_of(text: str) -> tuple[int, int]:
    """Frames a second as a fraction, as a person says them: "25", "29.97", "30000/1001". Raises
    GremioError for what is no rate from 0.01 to 1000."""
    text = text.strip().lower().removesuffix("fps").strip().replace(",", ".")
    if text in RATES:
        return RATES[text]
    try:
        rate = Fraction(text)
    except (ValueError, ZeroDivisionError):
        raise GremioError(
            f"{text or 'Nothing'} is no frame rate. Write frames a second, such as 25 or 29.97."
        ) from None
    return checked_rate((rate.numerator, rate.denominator))


def checked_rate(rate: tuple[int, int]) -> tuple[int, int]:
    """A frame rate that can be. Raises GremioError for another."""
    if not all(isinstance(part, int) and part > 0 for part in rate):
        raise GremioError("A frame rate is a number of frames a second above zero. Write 25.")
    if not _LEAST <= Fraction(*rate) <= _MOST:
        raise GremioError(
            f"A rate of {float(Fraction(*rate)):g} frames a second can't be played. Write one from "
            "0.01 to 1000."
        )
    return rate


def rate_text(rate: tuple[int, int]) -> str:
    """A frame rate as people say it: "29.97"."""
    known = {value: text for text, value in RATES.items()}
    return known.get(rate, f"{rate[0] / rate[1]:.6g}")


def frame_at(time: float, rate: tuple[int, int]) -> int:
    """The frame that is nearest to a time (s)."""
    return round(time * rate[0] / rate[1])


def time_of(frame: int, rate: tuple[int, int]) -> float:
    """The time (s) of a frame."""
    return frame * rate[1] / rate[0]


def frame_times(start: float, end: float, rate: tuple[int, int]) -> Array:
    """(F,) the times (s) of the frames from one to another, both among them."""
    first, last = frame_at(start, rate), frame_at(end, rate)
    times: Array = np.arange(first, last + 1, dtype=np.float64) * rate[1]
    return times / rate[0]


def time_code(time: float, rate: tuple[int, int]) -> str:
    """A time (s) as hours, minutes, seconds and frames: "00:00:04:12".

    At 30000/1001 and 60000/1001 frames a second numbers are dropped, and the last mark is a
    semicolon: at the beginning of each minute but every tenth the first two (four) are left out
    (SMPTE ST 12-1, drop frame).
    """
    frame = frame_at(abs(time), rate)
    whole = -(-rate[0] // rate[1])
    mark = ":"
    if rate[1] == _DROPPED and whole % 30 == 0:
        dropped, mark = whole // 15, ";"
        minute = 60 * whole - dropped
        ten = 10 * minute + dropped
        tens, rest = divmod(frame, ten)
        frame += 9 * dropped * tens
        if rest >= 60 * whole:
            frame += dropped * ((rest - 60 * whole) // minute + 1)
    seconds, frames = divmod(frame, whole)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    sign = "-" if time < 0 and frame else ""
    return f"{sign}{hours:02d}:{minutes:02d}:{seconds:02d}{mark}{frames:02d}"


def time_of_code(text: str, rate: tuple[int, int]) -> float:
    """The time (s) of a time code; `time_code` the other way. Raises GremioError for what is none,
    or a number that is dropped."""
    found = _CODE.fullmatch(text.strip())
    whole = -(-rate[0] // rate[1])
    if found is None or int(found[4]) >= whole or int(found[3]) > 59 or int(found[2]) > 59:
        raise GremioError(f"{text.strip()} is no time code. Write hours, minutes, seconds, frames: "
                          "00:00:04:12.")  # fmt: skip
    hours, minutes, seconds, frames = (int(part) for part in found.groups())
    every = 60 * hours + minutes
    frame = (60 * every + seconds) * whole + frames
    if rate[1] == _DROPPED and whole % 30 == 0:
        dropped = whole // 15
        if seconds == 0 and frames < dropped and minutes % 10:
            raise GremioError(
                f"{text.strip()} is left out of the count at {rate_text(rate)} frames."
            )
        frame -= dropped * (every - every // 10)
    return time_of(frame, rate)


def local_time(times: npt.ArrayLike, length: float, ends: Ends) -> Array:
    """(F,) where a routine of a length (s) is at times from its beginning (s)."""
    t: Array = np.asarray(times, dtype=float)
    if ends == "round":
        # Its end is its beginning, but for the end itself.
        turned = np.where((t > 0) & (np.mod(t, length) == 0.0) & (t <= length), length,
                          np.mod(t, length))  # fmt: skip
        local: Array = turned
        return local
    if ends == "to and fro":
        back = np.mod(t, 2 * length)
        fro: Array = np.where(back <= length, back, 2 * length - back)
        return fro
    once: Array = np.clip(t, 0.0, length)
    return once
