"""What goes on in a movie: time, the look, a cut, the fluid along its streamlines, or one variant after the other."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from brook.core.results.pictures import Drawn, Seen
from brook.core.results.pictures.plates import Shown, Size, painted, shown
from brook.core.study.layers import CutLayer
from brook.core.study.views import Plate
from brook.core.units import DIMENSIONS, show
from brook.runs.readout import Source, loaded, prepared_of, view_of

SAMPLED = 8  # moments whose values give the range that all pictures have
FINER = 1
RATE = 20  # pictures in a second
PERIOD = 40  # pictures, about, after which each dash is where the one before it was
DASHES = 8  # on half of the lines
FULL = 0.4  # of the way from one dash to the next that is drawn
MOST_DASHES = 60  # along a line; what is slower than that has none
FADE = 0.4  # of the time of a variant in which it goes over to the next


@dataclass(frozen=True)
class Filmed:
    """What a movie is made of: results with the titles of their variants, of which the first one is meant; titles of variants without one; the summary of the first."""

    sources: list[tuple[str, Source]]
    missing: tuple[str, ...]
    summary: dict[str, Any]
    plate: Plate
    count: int
    size: Size

    @property
    def source(self) -> Source:
        """The result that is meant."""
        return self.sources[0][1]

    @property
    def title(self) -> str:
        """What stands over the pictures."""
        return f"{self.sources[0][0]} · {self.plate.title}"


# colours (height, width, 3) of each picture, with what fell short in words
Pictures = Iterator[tuple[np.ndarray, list[str]]]
# how many there are, and they
Made = tuple[int, Pictures]


def _seen(source: Source, plate: Plate) -> Seen:
    return Seen(view_of(source), loaded(source).locator, plate.quantity)


def _moments(summary: dict[str, Any], count: int) -> list[tuple[str, float]]:
    """Names and times in s of up to so many moments that a run kept, spread over all, with its end."""
    kept = [(f"{k:04d}", time) for k, time in enumerate(summary.get("moments") or ())]
    if not kept:
        raise ValueError("this run kept no moments: only a flow in time has them, where fields are kept on its way")
    every = [*kept, ("", float(summary["end"]))]
    return [
        every[k] for k in np.unique(np.linspace(0, len(every) - 1, min(count, len(every))).round().astype(int)).tolist()
    ]


def _through_time(filmed: Filmed) -> Made:
    moments = _moments(filmed.summary, filmed.count)
    if filmed.plate.quantity in prepared_of(filmed.source).places.flights:
        raise ValueError("particles fly through the flow as it ended, so this does not go on through time")
    return len(moments), _in_time(filmed, moments)


def _in_time(filmed: Filmed, moments: list[tuple[str, float]]) -> Pictures:
    source, plate, size, title = filmed.source, filmed.plate, filmed.size, filmed.title
    if plate.range is None:
        ends = []
        for name, _ in moments[:: max(1, len(moments) // SAMPLED)]:
            scale = shown(plate, _seen(replace(source, moment=name), plate), size).scale
            ends.append((scale.low, scale.high))
        plate = plate.model_copy(update={"range": (min(e[0] for e in ends), max(e[1] for e in ends))})
    for name, moment in moments:
        seen = _seen(replace(source, moment=name), plate)
        what = shown(plate, seen, size)
        yield painted(what, seen, f"{title}, {show(moment, DIMENSIONS['time'])}", size, finer=FINER), what.words


def _turning(filmed: Filmed) -> Made:
    if not filmed.plate.layers:
        raise ValueError("this plate is flat and cannot be turned; keep one of a picture in space")
    return filmed.count, _turned(filmed)


def _turned(filmed: Filmed) -> Pictures:
    seen = _seen(filmed.source, filmed.plate)
    what = shown(filmed.plate, seen, filmed.size)
    for k in range(filmed.count):
        look = what.look.model_copy(update={"yaw": what.look.yaw + 2 * np.pi * k / filmed.count})
        yield painted(what, seen, filmed.title, filmed.size, look, FINER), what.words


def _cut(filmed: Filmed) -> Made:
    """The first cut goes through all there is along its direction."""
    at = next((k for k, layer in enumerate(filmed.plate.layers) if isinstance(layer, CutLayer)), None)
    if at is None:
        raise ValueError("this plate has no cut in space that could move")
    return filmed.count, _moving(filmed, at)


def _moving(filmed: Filmed, at: int) -> Pictures:
    plate, count, size = filmed.plate, filmed.count, filmed.size
    seen = _seen(filmed.source, plate)
    cut = plate.layers[at]
    assert isinstance(cut, CutLayer)
    way = np.array(cut.across, float) / np.linalg.norm(cut.across)
    along = seen.view.fields.mesh.points @ way
    low, high = float(along.min()), float(along.max())
    plate = plate if plate.range else plate.model_copy(update={"range": _whole(seen)})
    for k in range(count):
        place = low + (k + 0.5) / count * (high - low)
        through = np.array(cut.through) + (place - float(np.array(cut.through) @ way)) * way
        layers = [*plate.layers]
        layers[at] = cut.model_copy(update={"through": tuple(through.tolist())})
        moved = plate.model_copy(update={"layers": tuple(layers)})
        what = shown(moved, seen, size)
        yield painted(what, seen, f"{filmed.title}, {1000 * place:.1f} mm", size, finer=FINER), what.words


def _whole(seen: Seen) -> tuple[float, float]:
    values = seen.view.values(seen.quantity)[0]
    return float(np.nanmin(values)), float(np.nanmax(values))


def _flowing(filmed: Filmed) -> Made:
    """Dashes go along the streamlines as fast as the fluid does, over and over: the last picture is followed by the first."""
    seen = _seen(filmed.source, filmed.plate)
    what = shown(filmed.plate, seen, filmed.size)
    if not any("lines_seconds" in found.arrays for _, found in what.made):
        raise ValueError("this plate has no streamlines along which something could go")
    if all(
        np.ptp(found.arrays["lines_seconds"]) == 0
        for _, found in what.made
        if len(found.arrays.get("lines_seconds", ()))
    ):
        raise ValueError("nothing moves along these streamlines")
    rounds = max(1, round(filmed.count / PERIOD))
    count = rounds * max(2, round(filmed.count / rounds))
    return count, _dashed(filmed, seen, what, count // rounds, rounds)


def _dashed(filmed: Filmed, seen: Seen, what: Shown, steps: int, rounds: int) -> Pictures:
    lines = [found for _, found in what.made if "lines_seconds" in found.arrays]
    durations = [
        np.ptp(part)
        for found in lines
        for part in np.split(found.arrays["lines_seconds"], found.arrays["lines_start"][1:-1])
    ]
    period = float(np.median([d for d in durations if d > 0])) / DASHES
    words = list(what.words)
    if max(durations) > MOST_DASHES * period:
        words.append(f"streamlines: dashes go along the first {show(MOST_DASHES * period, DIMENSIONS['time'])} of each")
    pieces = {id(found): _even(found, period / steps, MOST_DASHES * steps) for found in lines}
    slow = show(period / steps * RATE, DIMENSIONS["time"])
    for k in range(steps * rounds):
        made = [
            (layer, _at(pieces[id(found)], k, steps) if id(found) in pieces else found) for layer, found in what.made
        ]
        yield (
            painted(
                replace(what, made=made),
                seen,
                f"{filmed.title}, a second of the movie is {slow}",
                filmed.size,
                finer=FINER,
            ),
            words,
        )


def _even(found: Drawn, step: float, most: int) -> Drawn:
    """Streamlines as pieces that each take a `step` in s, up to so many of a line; `lines_phase` (k,) counts them along each."""
    arrays = found.arrays
    at, values, phase = [], [], []
    known = arrays.get("lines_values")
    for k, (first, last) in enumerate(zip(arrays["lines_start"][:-1], arrays["lines_start"][1:], strict=True)):
        seconds = arrays["lines_seconds"][first:last]
        count = min(most, int(np.ptp(seconds) / step))
        if count < 1:
            continue
        then = seconds[0] + step * np.arange(count + 1)
        places = np.stack([np.interp(then, seconds, arrays["lines_at"][first:last, i]) for i in range(3)], axis=1)
        at.append(np.stack([places[:-1], places[1:]], axis=1).reshape(-1, 3))
        phase.append(np.arange(count) + 17 * k)  # so that dashes of lines that begin together do not stand in rows
        if known is not None:
            there = np.interp(then, seconds, known[first:last])
            values.append(np.stack([there[:-1], there[1:]], axis=1).ravel())
    more = {"lines_values": np.concatenate(values)} if values else {}
    empty = np.zeros((0, 3))
    return Drawn(
        {"lines_at": np.concatenate([empty, *at]), "lines_phase": np.concatenate([np.zeros(0, int), *phase]), **more},
        found.numbers,
    )


def _at(pieces: Drawn, k: int, steps: int) -> Drawn:
    """Which of these pieces are drawn in a picture."""
    here = (pieces.arrays["lines_phase"] - k) % steps < FULL * steps
    twice = np.repeat(here, 2)
    arrays = {name: pieces.arrays[name][twice] for name in ("lines_at", "lines_values") if name in pieces.arrays}
    return Drawn(arrays | {"lines_start": 2 * np.arange(here.sum() + 1)}, pieces.numbers)


def _variants(filmed: Filmed) -> Made:
    """One variant goes over into the next, the last one into the first, in one range of colours and from one place."""
    if len(filmed.sources) < 2:
        raise ValueError("no other variant has a result that is kept; bring one up to date")
    return filmed.count, _blended(filmed)


def _blended(filmed: Filmed) -> Pictures:
    plate = filmed.plate
    words = [f"{title} has no result and is left away" for title in filmed.missing]
    every = [(title, _seen(source, plate)) for title, source in filmed.sources]
    made = [shown(plate, seen, filmed.size) for _, seen in every]
    if plate.range is None:
        plate = plate.model_copy(update={"range": (min(w.scale.low for w in made), max(w.scale.high for w in made))})
        made = [shown(plate, seen, filmed.size) for _, seen in every]
    look = made[0].look
    stills = []
    for (title, seen), what in zip(every, made, strict=True):
        stills.append(painted(what, seen, f"{title} · {plate.title}", filmed.size, look, FINER).astype(np.float32))
        words += [f"{title}: {w}" for w in what.words]
    for k in range(filmed.count):
        place = k / filmed.count * len(stills)
        now, share = int(place), max(0.0, (place % 1.0 - (1 - FADE)) / FADE)
        mixed = (1 - share) * stills[now] + share * stills[(now + 1) % len(stills)]
        yield np.round(mixed).astype(np.uint8), words


OVER: dict[str, Callable[[Filmed], Made]] = {
    "time": _through_time, "turn": _turning, "cut": _cut, "flow": _flowing, "variants": _variants,
}  # fmt: skip
