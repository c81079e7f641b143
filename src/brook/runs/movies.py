"""Movies of a plate from the results that a data folder keeps: through time, turning, or with a cut that moves."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.results.movies import Movie, bytes_of
from brook.core.results.pictures import Seen
from brook.core.results.pictures.plates import Size, painted, shown
from brook.core.study.layers import CutLayer
from brook.core.study.views import Plate
from brook.core.units import DIMENSIONS, show
from brook.runs.plates import NoPlate, plate_of
from brook.runs.readout import Source, loaded, view_of
from brook.store import Store

SAMPLED = 8  # moments whose values give the range that all pictures have
FINER = 1
SAID_EVERY = 10  # pictures
RATE = 20  # pictures in a second


@dataclass(frozen=True)
class Wanted:
    """What goes on in a movie (one of `OVER`), in how many pictures, and how large they are."""

    over: str = "time"
    count: int = 100
    size: Size = field(default_factory=Size)


@dataclass(frozen=True)
class Frame:
    """Colours (height, width, 3) of a picture, which of how many it is, and what fell short in words."""

    colours: np.ndarray
    number: int
    count: int
    words: tuple[str, ...]


def frames(store: Store, slug: str, plate: Plate, variant: str, wanted: Wanted) -> Iterator[Frame]:
    """Pictures of a movie in their order. Raises `NoPlate` for what is not there, `KeyError`, `ValueError` for what cannot be drawn."""
    row, study = store.study_row(slug), store.study(slug)
    titles = {v.name: v.title for v in study.variants}
    if variant not in titles:
        raise NoPlate(f"'{variant}' is not a variant of this study; there are: {', '.join(titles)}")
    newest = store.latest(row.id).get((variant, "run"))
    if newest is None or not store.files.has("run", newest[0]):
        raise NoPlate(f"{variant} has no result that is kept; bring it up to date")
    key, summary = newest
    source = Source(str(store.files.root.resolve()), summary["mesh_key"], key, row.document, variant)
    title = f"{titles[variant]} · {plate.title}"
    if plate.less:
        raise ValueError("of a plate that is less another variant there is no movie yet")
    count = wanted.count if wanted.over != "time" else len(_moments(summary, wanted.count))
    made = OVER[wanted.over](source, summary, plate, title, wanted)
    for number, (colours, words) in enumerate(made, 1):
        yield Frame(colours, number, count, tuple(words))


def make(
    data: Path, slug: str, plate: str, variant: str, wanted: Wanted, out: Path, say: Callable[[str], None]
) -> list[str]:
    """Writes a movie to a file, saying how far it is and how large it will be; gives what fell short in words. Raises `NoPlate`, `StoreError`, `KeyError`, `ValueError`."""
    if wanted.over not in OVER:
        raise ValueError(f"'{wanted.over}' is nothing that goes on; it is {', '.join(OVER)}")
    if not (data / "brook.db").exists():
        raise ValueError(f"{data} keeps no studies; name the folder with --data")
    pixels = wanted.size
    words: dict[str, None] = {}
    begun = time.perf_counter()
    out.parent.mkdir(parents=True, exist_ok=True)
    with closing(Store(data)) as store, Movie(out, RATE) as movie:
        for frame in frames(store, slug, plate_of(store, slug, plate), variant, wanted):
            if frame.number == 1:
                needs = bytes_of(movie.kind, pixels.width, pixels.height, frame.count)
                if needs > (free := shutil.disk_usage(out.parent).free):
                    raise ValueError(
                        f"{frame.count} pictures take about {needs / 1e6:.0f} MB, and {free / 1e6:.0f} MB are free there; make fewer, or smaller ones"
                    )
                say(f"{frame.count} pictures, about {needs / 1e6:.1f} MB")
            movie.add(frame.colours)
            words |= dict.fromkeys(frame.words)
            if frame.number % SAID_EVERY == 0:
                left = (time.perf_counter() - begun) / frame.number * (frame.count - frame.number)
                say(f"{frame.number} of {frame.count}, about {left:.0f} s more")
    return list(words)


def size_of(text: str) -> Size:
    """Raises `ValueError`."""
    wide, _, tall = text.partition("x")
    if not (wide.isdigit() and tall.isdigit() and 200 <= int(wide) <= 8000 and 200 <= int(tall) <= 8000):
        raise ValueError(f"'{text}' is no size; write 1280x720, each from 200 to 8000")
    return Size(int(wide), int(tall))


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


def _through_time(
    source: Source, summary: dict[str, Any], plate: Plate, title: str, wanted: Wanted
) -> Iterator[tuple[np.ndarray, list[str]]]:
    count, size = wanted.count, wanted.size
    moments = _moments(summary, count)
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


def _turning(
    source: Source, summary: dict[str, Any], plate: Plate, title: str, wanted: Wanted
) -> Iterator[tuple[np.ndarray, list[str]]]:
    count, size = wanted.count, wanted.size
    if not plate.layers:
        raise ValueError("this plate is flat and cannot be turned; keep one of a picture in space")
    seen = _seen(source, plate)
    what = shown(plate, seen, size)
    for k in range(count):
        look = what.look.model_copy(update={"yaw": what.look.yaw + 2 * np.pi * k / count})
        yield painted(what, seen, title, size, look, FINER), what.words


def _cut(
    source: Source, summary: dict[str, Any], plate: Plate, title: str, wanted: Wanted
) -> Iterator[tuple[np.ndarray, list[str]]]:
    """The first cut goes through all there is along its direction."""
    count, size = wanted.count, wanted.size
    at = next((k for k, layer in enumerate(plate.layers) if isinstance(layer, CutLayer)), None)
    if at is None:
        raise ValueError("this plate has no cut in space that could move")
    seen = _seen(source, plate)
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
        yield painted(what, seen, f"{title}, {1000 * place:.1f} mm", size, finer=FINER), what.words


def _whole(seen: Seen) -> tuple[float, float]:
    values = seen.view.values(seen.quantity)[0]
    return float(np.nanmin(values)), float(np.nanmax(values))


OVER = {"time": _through_time, "turn": _turning, "cut": _cut}
