"""How readings swing: means and fluctuations in a window, running means, spectra with their peaks."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brook.core.results.spectrum import spectrum_of, window_of


def swinging(*parts, count=400, duration=10.0, mean=3.0, uneven=False):
    time = np.linspace(0, duration, count + 1)[1:]
    if uneven:
        time = time + 0.2 * duration / count * np.sin(np.arange(count))
    return time, mean + sum(a * np.sin(2 * np.pi * f * time + p) for f, a, p in parts)


@given(frequency=st.floats(0.5, 12.0), amplitude=st.floats(0.01, 100.0), phase=st.floats(0, 6.28), uneven=st.booleans())
def test_one_swing_is_one_peak_of_its_height(frequency, amplitude, phase, uneven):
    window = window_of(*swinging((frequency, amplitude, phase), uneven=uneven and frequency < 3), None, None)
    found = spectrum_of(window)
    assert found.peaks[0].frequency == pytest.approx(frequency, rel=0.005)
    assert found.peaks[0].amplitude == pytest.approx(amplitude, rel=0.03)
    assert all(p.amplitude < 0.06 * amplitude for p in found.peaks[1:])


def test_two_swings_are_told_apart_and_a_slow_drift_is_none():
    time, value = swinging((2.0, 1.0, 0.3), (4.1, 0.25, 1.0))
    found = spectrum_of(window_of(time, value + 0.02 * time, None, None))
    assert [p.frequency for p in found.peaks[:2]] == pytest.approx([2.0, 4.1], rel=0.01)
    assert [p.amplitude for p in found.peaks[:2]] == pytest.approx([1.0, 0.25], rel=0.05)
    assert spectrum_of(window_of(time, np.full(400, 2.5), None, None)).peaks == ()


def test_means_are_by_time_and_of_the_window():
    """Steps of 1 s and then of 0.1 s: the mean of t over 0 to 20 s is that by time."""
    time = np.concatenate([np.arange(1, 11), 10 + 0.1 * np.arange(1, 101)]).astype(float)
    whole = window_of(time, np.where(time > 10, 1.0, 0.0), None, None)
    assert whole.mean == pytest.approx(0.5)
    assert whole.fluctuation == pytest.approx(0.5)
    assert whole.running_mean[9] == 0
    assert whole.running_mean[-1] == pytest.approx(0.5)
    assert window_of(time, time, 10.0, 12.0).time[[0, -1]].tolist() == [10, 12]


@pytest.mark.parametrize(
    ("begin", "end", "words"),
    [(30.0, None, "the run goes from 0.025 to 10 s; the window holds nothing of that"), (4.0, 3.0, "holds nothing")],
)
def test_a_window_outside_of_the_run_is_told(begin, end, words):
    with pytest.raises(ValueError, match=words):
        window_of(*swinging((1.0, 1.0, 0.0)), begin, end)


def test_what_is_too_short_for_a_spectrum_is_told():
    time, value = swinging((1.0, 1.0, 0.0), count=12)
    with pytest.raises(ValueError, match="12 values are too few"):
        spectrum_of(window_of(time, value, None, None))
    with pytest.raises(ValueError, match="no value in this run"):
        window_of(time, np.full(12, np.nan), None, None)
