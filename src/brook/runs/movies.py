"""Movies of a plate from the results that a data folder keeps."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from brook.core.results.movies import Movie, bytes_of
from brook.core.results.pictures.plates import Size
from brook.core.study.views import Plate
from brook.runs.goes_on import OVER, RATE, Filmed
from brook.runs.plates import NoPlate, plate_of
from brook.runs.readout import Source
from brook.store import Store

SAID_EVERY = 10  # pictures


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
    if plate.less:
        raise ValueError("of a plate that is less another variant there is no movie yet")
    count, made = OVER[wanted.over](_filmed(store, slug, plate, variant, wanted))
    for number, (colours, words) in enumerate(made, 1):
        yield Frame(colours, number, count, tuple(words))


def _filmed(store: Store, slug: str, plate: Plate, variant: str, wanted: Wanted) -> Filmed:
    """What a movie is made of: this variant first, then the others in their order. Raises `NoPlate`."""
    row, study = store.study_row(slug), store.study(slug)
    titles = {v.name: v.title for v in study.cases}
    if variant not in titles:
        raise NoPlate(f"'{variant}' is not a variant of this study; there are: {', '.join(titles)}")
    latest = store.latest(row.id)
    sources: list[tuple[str, Source]] = []
    missing: list[str] = []
    for name in (variant, *(n for n in titles if n != variant)):
        newest = latest.get((name, "run"))
        if newest is None or not store.files.has("run", newest[0]):
            missing.append(titles[name])
            continue
        key, summary = newest
        source = Source(str(store.files.root.resolve()), summary["mesh_key"], key, row.document, name)
        sources.append((titles[name], source))
    if titles[variant] in missing:
        raise NoPlate(f"{variant} has no result that is kept; bring it up to date")
    return Filmed(sources, tuple(missing), latest[variant, "run"][1], plate, wanted.count, wanted.size)


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
