"""How a reading swings: mean and fluctuation in a window of time, its running mean, its spectrum and the main peaks of that.

The amplitude spectrum of what differs from the mean, on even steps, by Hann's window: |X(f)| 2/Σw. A swing a sin(2π f t) stands as a peak of height a at f, found
between the lines by the parabola through the logarithms of three of them (Gasior & Gonzalez 2004).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

PEAKS = 4  # that are named
STANDS_OUT, OVER = 0.05, 4.0  # of the largest peak, and times the middle of all lines: what is a peak
FEWEST = 16  # values in a window that have a spectrum
WHOLE = 2.0  # swings that a window holds of what is named


@dataclass(frozen=True, eq=False)
class Window:
    """Times (n,) in s and values (n,) in SI units."""

    time: np.ndarray
    value: np.ndarray

    @property
    def steps(self) -> np.ndarray:
        """What each value stands for in s (n,)."""
        return np.diff(self.time, prepend=2 * self.time[0] - self.time[1] if len(self.time) > 1 else 0.0)

    @property
    def mean(self) -> float:
        """By time."""
        return float(np.average(self.value, weights=self.steps))

    @property
    def fluctuation(self) -> float:
        """Root mean square of what differs from the mean, by time."""
        return float(np.sqrt(np.average((self.value - self.mean) ** 2, weights=self.steps)))

    @property
    def running_mean(self) -> np.ndarray:
        """From where the window begins to each time (n,)."""
        return np.asarray(np.cumsum(self.value * self.steps) / np.cumsum(self.steps))


@dataclass(frozen=True)
class Peak:
    """A swing: its frequency in 1/s and its amplitude in the unit of what swings."""

    frequency: float
    amplitude: float


@dataclass(frozen=True, eq=False)
class Spectrum:
    """Frequencies (m,) in 1/s, rising by `step`, and amplitudes (m,) there; the main peaks, the largest first."""

    frequency: np.ndarray
    amplitude: np.ndarray
    step: float
    peaks: tuple[Peak, ...]


def window_of(time: np.ndarray, value: np.ndarray, begin: float | None, end: float | None) -> Window:
    """What of a history (n,) lies between two times in s, None for all there is. Raises `ValueError` where that is too little."""
    known = np.isfinite(value)
    within = (
        known
        & (time >= (-np.inf if begin is None else begin * (1 - 1e-9)))
        & (time <= (np.inf if end is None else end * (1 + 1e-9)))
    )
    if not known.any():
        raise ValueError("it has no value in this run")
    if within.sum() < 2:
        raise ValueError(
            f"the run goes from {time[known][0]:.4g} to {time[known][-1]:.4g} s; the window holds nothing of that"
        )
    return Window(time[within], value[within])


def spectrum_of(window: Window) -> Spectrum:
    """Raises `ValueError` for a window that is too short."""
    count = len(window.time)
    if count < FEWEST:
        raise ValueError(f"{count} values are too few for a spectrum; {FEWEST} are needed")
    even = np.linspace(window.time[0], window.time[-1], count)
    value = np.interp(even, window.time, window.value)
    bell = np.hanning(count + 1)[:-1]
    # the mean under the window, so that it does not leak into the lowest lines
    value = value - np.average(value, weights=bell)
    step = float(even[1] - even[0])
    room = 1 << int(np.ceil(np.log2(4 * count)))  # drawn out with nothing: lines between the lines
    amplitude = np.abs(np.fft.rfft(value * bell, room)) * 2 / bell.sum()
    frequency = np.fft.rfftfreq(room, step)
    resolved = 1 / (count * step)
    return Spectrum(frequency, amplitude, resolved, _peaks(frequency, amplitude, resolved))


def _peaks(frequency: np.ndarray, amplitude: np.ndarray, resolved: float) -> tuple[Peak, ...]:
    """Lines higher than both beside them that stand out, of what swings at least twice in the window; of those nearer to each other than the window tells
    apart the highest."""
    inner = amplitude[1:-1]
    tops = (
        1 + np.nonzero((inner > amplitude[:-2]) & (inner >= amplitude[2:]) & (frequency[1:-1] >= WHOLE * resolved))[0]
    )
    least = max(STANDS_OUT * float(amplitude.max(initial=0.0)), OVER * float(np.median(amplitude)))
    found: list[Peak] = []
    for k in sorted(tops.tolist(), key=lambda k: -amplitude[k]):
        if amplitude[k] < least or len(found) == PEAKS:
            break
        before, here, after = np.log(np.maximum(amplitude[k - 1 : k + 2], 1e-300))
        bend = before - 2 * here + after
        aside = 0.5 * (before - after) / bend if bend < 0 else 0.0
        peak = Peak(
            float(frequency[k] + aside * (frequency[1] - frequency[0])),
            float(np.exp(here - 0.25 * (before - after) * aside)),
        )
        if all(abs(peak.frequency - other.frequency) > 2 * resolved for other in found):
            found.append(peak)
    return tuple(found)
