"""Fields of a result in files for other programs: of its end or of every moment that it kept, with what is asked for besides."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from brook.core.formulas import FormulaError
from brook.core.results.files import FIELD_FORMATS, OF, Moment, Series, cell_values, dimensions_of, patch_values
from brook.core.results.quantities import QUANTITIES, View
from brook.core.stages.batch import write_whole
from brook.runs.plates import NoPlate
from brook.runs.readout import Source, known_then, prepared_of, view_of
from brook.store import Store


@dataclass(frozen=True)
class FieldsWanted:
    """Values of `cells` or `patches`, at the end or `through_time`, and quantities by name besides those that always stand there."""

    of: str = "cells"
    through_time: bool = False
    quantities: tuple[str, ...] = ()


def suffix_of(kind: str, through_time: bool) -> str:
    """What a file ends in: several VTU stand in a ZIP."""
    return ".zip" if kind == "vtu" and through_time else f".{kind}"


def write(
    data: Path, slug: str, variant: str, wanted: FieldsWanted, kind: str, out: Path, say: Callable[[str], None]
) -> list[str]:
    """Writes a file, saying how far it is; gives what fell short in words. Raises `NoPlate`, `StoreError`, `ValueError`."""
    if kind not in FIELD_FORMATS:
        raise ValueError(f"fields are written as {', '.join(f'.{k}' for k in FIELD_FORMATS)}")
    written = FIELD_FORMATS[kind]
    if wanted.of in OF and wanted.of not in written.of:
        known = " or ".join(f".{f.suffix}" for f in FIELD_FORMATS.values() if wanted.of in f.of)
        raise ValueError(f"{written.words} is written of {' and '.join(written.of)}; take {known} for {wanted.of}")
    if wanted.of not in OF:
        raise ValueError(f"'{wanted.of}' has no values; fields are those of {' or '.join(OF)}")
    if not (data / "brook.db").exists():
        raise ValueError(f"{data} keeps no studies; name the folder with --data")
    with closing(Store(data)) as store:
        source, times = _kept(store, slug, variant)
    moments: list[tuple[str, float | None]] = [("", None)]
    if wanted.through_time:
        if len(times) < 2:
            raise ValueError("this run kept no moments: only a flow in time has them, where fields are kept on its way")
        moments = [*((f"{k:04d}", t) for k, t in enumerate(times[:-1])), ("", times[-1])]
    _refuse_unknown(source, wanted)
    view = view_of(source)
    first, words = _values(view, wanted)
    needs = _bytes(view, first, len(moments), kind)
    out.parent.mkdir(parents=True, exist_ok=True)
    if needs > (free := shutil.disk_usage(out.parent).free):
        raise ValueError(
            f"this takes about {needs / 1e6:.0f} MB, and {free / 1e6:.0f} MB are free there; take fewer quantities, or the end alone"
        )
    say(f"{'all moments' if wanted.through_time else 'the end'}, up to {needs / 1e6:.2g} MB")
    short = dict.fromkeys(words)
    begun = time.perf_counter()

    def each() -> Iterator[Moment]:
        for k, (name, at) in enumerate(moments, 1):
            yield Moment(_at(replace(source, moment=name), wanted, short), at)
            left = (time.perf_counter() - begun) / k * (len(moments) - k)
            say(f"{k} of {len(moments)}, about {left:.0f} s more")

    series = Series(view.fields.mesh, each, len(moments), wanted.of, dimensions_of(view, list(first)))
    write_whole(out, lambda path: written.write(path, series))
    return list(short)


def _kept(store: Store, slug: str, variant: str) -> tuple[Source, list[float]]:
    """The result of a variant, and the times of its moments with its end."""
    row, study = store.study_row(slug), store.study(slug)
    titles = [v.name for v in study.cases]
    if variant not in titles:
        raise NoPlate(f"'{variant}' is not a variant of this study; there are: {', '.join(titles)}")
    newest = store.latest(row.id).get((variant, "run"))
    if newest is None or not store.files.has("run", newest[0]):
        raise NoPlate(f"{variant} has no result that is kept; bring it up to date")
    key, summary = newest
    source = Source(str(store.files.root.resolve()), summary["mesh_key"], key, row.document, variant)
    return source, [*(summary.get("moments") or ()), float(summary.get("end") or 0.0)]


def _refuse_unknown(source: Source, wanted: FieldsWanted) -> None:
    known = prepared_of(source).places.quantities()
    for name in wanted.quantities:
        if name not in known:
            raise ValueError(f"there is no quantity '{name[:60]}' here; there are: {', '.join(known)}")


def _values(view: View, wanted: FieldsWanted) -> tuple[dict[str, np.ndarray], list[str]]:
    return (patch_values if wanted.of == "patches" else cell_values)(view, wanted.quantities)


def _at(source: Source, wanted: FieldsWanted, short: dict[str, None]) -> dict[str, np.ndarray]:
    """Values of one moment; what it does not have yet is told once."""
    there = []
    for name in wanted.quantities:
        try:
            known_then(source, name)
            there.append(name)
        except (ValueError, FormulaError) as error:
            short[f"{QUANTITIES[name].words if name in QUANTITIES else name}: {error}, at moments before that"] = None
    values, words = _values(view_of(source), replace(wanted, quantities=tuple(there)))
    short |= dict.fromkeys(words)
    return values


def _bytes(view: View, values: dict[str, np.ndarray], count: int, kind: str) -> float:
    """About how large a file will be at the most."""
    mesh = view.fields.mesh
    shape = 24.0 * len(mesh.points) + 40.0 * len(mesh.face_points)
    data = float(sum(v.size * 8 for v in values.values()))
    return 1.4 * count * (shape + data) if kind == "vtu" else shape + count * data
