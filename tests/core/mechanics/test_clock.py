"""Frames, time code, and where a routine is at a time.

Time code: SMPTE ST 12-1, whose drop-frame count leaves out the numbers 0 and 1 (0 to 3 at 60) at
the beginning of each minute that is no tenth one; checked against a count that does just that.
"""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gremio.core.mechanics.clock import (
    RATES,
    frame_at,
    frame_times,
    local_time,
    rate_of,
    rate_text,
    time_code,
    time_of,
    time_of_code,
)
from gremio.core.problem import GremioError

NTSC = (30000, 1001)


@pytest.mark.parametrize(("frame", "code"), [
    (0, "00:00:00;00"), (1799, "00:00:59;29"), (1800, "00:01:00;02"), (3597, "00:01:59;29"),
    (3598, "00:02:00;02"), (17981, "00:09:59;29"), (17982, "00:10:00;00"),
    (107892, "01:00:00;00"),
])  # fmt: skip
def test_drop_frame_numbers(frame: int, code: str) -> None:
    assert time_code(time_of(frame, NTSC), NTSC) == code
    assert frame_at(time_of_code(code, NTSC), NTSC) == frame


@pytest.mark.parametrize(("rate", "left_out"), [(NTSC, 2), ((60000, 1001), 4)])
def test_every_number_of_two_hours_by_a_count(rate: tuple[int, int], left_out: int) -> None:
    whole = 30 if left_out == 2 else 60
    frame = 0
    for minute in range(22):
        for second in range(60):
            for number in range(whole):
                if second == 0 and number < left_out and minute % 10:
                    continue
                if second in (0, 59) and number in (0, 1, 2, 3, 4, whole - 1):
                    told = f"00:{minute:02d}:{second:02d};{number:02d}"
                    assert time_code(time_of(frame, rate), rate) == told
                frame += 1


@given(st.sampled_from(list(RATES.values())), st.integers(0, 500_000))
def test_codes_are_read_as_they_are_written(rate: tuple[int, int], frame: int) -> None:
    code = time_code(time_of(frame, rate), rate)
    assert frame_at(time_of_code(code, rate), rate) == frame


def test_an_hour_of_29_97_keeps_to_the_clock() -> None:
    """That is what frames are dropped for: 3.6 ms off in an hour, at most a frame in a day."""
    assert time_of_code("01:00:00;00", NTSC) == pytest.approx(3600, abs=0.004)


def test_rates_are_read_exactly() -> None:
    assert rate_of("29.97") == NTSC and rate_of("29,97 fps") == NTSC
    assert rate_of("30000/1001") == NTSC
    assert rate_of("12.5") == (25, 2) and rate_text((25, 2)) == "12.5"
    assert Fraction(*rate_of("59.94")) == Fraction(60000, 1001)


@pytest.mark.parametrize("text", ["", "0", "-25", "fast", "1e9", "25/0", "0.001"])
def test_what_is_no_rate_is_said(text: str) -> None:
    with pytest.raises(GremioError, match=r"rate|Nothing|frames"):
        rate_of(text)


@pytest.mark.parametrize("code", ["", "1:2:3", "00:00:61:00", "00:00:00:25", "00:01:00;00"])
def test_what_is_no_code_is_said(code: str) -> None:
    with pytest.raises(GremioError):
        time_of_code(code, NTSC if ";" in code else (25, 1))


def test_frames_of_a_range_are_on_frames() -> None:
    times = frame_times(0.0, 2.0, (25, 1))
    assert len(times) == 51 and times[-1] == 2.0 and times[7] == 7 / 25


def test_round_and_to_and_fro() -> None:
    t = [-1.0, 0.0, 3.0, 4.0, 5.0, 8.0, 9.5]
    assert local_time(t, 4.0, "once").tolist() == [0, 0, 3, 4, 4, 4, 4]
    assert local_time(t, 4.0, "round").tolist() == [3, 0, 3, 4, 1, 0, 1.5]
    assert local_time(t, 4.0, "to and fro").tolist() == [1, 0, 3, 4, 3, 0, 1.5]
    fine = np.linspace(0, 12, 1000)
    assert np.abs(np.diff(local_time(fine, 4.0, "to and fro"))).max() < 0.013
