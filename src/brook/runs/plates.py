"""Plates of a study drawn from the results that a data folder keeps, without a server."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from brook.core.results.pictures import Seen
from brook.core.results.pictures.plates import Size, picture, scene_of
from brook.core.study.views import Plate
from brook.runs.readout import Source, loaded, prepared_of, view_of
from brook.store import Store


@dataclass(frozen=True)
class Made:
    """A plate of a variant as PNG or GLB, or why there is none; what of it could not be drawn or fell short, in words."""

    variant: str
    file: bytes | None
    words: tuple[str, ...]


class NoPlate(LookupError):
    """There is no such plate, or no such study or variant; in words."""


def plate_of(store: Store, slug: str, name: str) -> Plate:
    """Raises `StoreError` for an unknown study, `NoPlate`."""
    plates = store.study(slug).plates
    found = next((p for p in plates if p.name == name or p.title == name), None)
    if found is None:
        there = ", ".join(p.name for p in plates) or "none yet; keep one on the page Results"
        raise NoPlate(f"'{name}' is not a plate of this study; there are: {there}")
    return found


def draw(store: Store, slug: str, plate: Plate, variants: list[str], size: Size, scene: bool = False) -> Iterator[Made]:
    """A plate for each of some variants, or the `scene` that it shows. Raises `StoreError` for an unknown study, `NoPlate` for an unknown variant."""
    row, study = store.study_row(slug), store.study(slug)
    latest = store.latest(row.id)
    titles = {v.name: v.title for v in study.cases}
    for name in variants:
        if name not in titles:
            raise NoPlate(f"'{name}' is not a variant of this study; there are: {', '.join(titles)}")
        newest = latest.get((name, "run"))
        if newest is None or not store.files.has("run", newest[0]):
            yield Made(name, None, ("has no result that is kept; bring it up to date",))
            continue
        key, summary = newest
        source = Source(str(store.files.root.resolve()), summary["mesh_key"], key, row.document, name)
        words = () if summary["state"] == "converged" else (f"the run is {summary['state']}: {summary['message']}",)
        try:
            quantities = prepared_of(source).places.quantities()
            if plate.quantity not in quantities:
                raise ValueError(f"there is no quantity '{plate.quantity}'")
            seen = Seen(view_of(source), loaded(source).locator, plate.quantity)
            if plate.less and plate.less != name:
                seen = replace(seen, less=_less(plate, source, latest))
            made, short = (scene_of if scene else picture)(plate, seen, titles[name], size)
            short += [f"this is {titles[name]} itself, which the others are less"] if plate.less == name else []
            yield Made(name, made, (*words, *short))
        except (KeyError, ValueError) as error:
            yield Made(name, None, (*words, str(error.args[0] if error.args else error)))


def _less(plate: Plate, mine: Source, latest: dict[tuple[str, str], tuple[str, Any]]) -> Seen:
    """The result that is taken away. Raises `ValueError` where there is none."""
    newest = latest.get((plate.less, "run"))
    if newest is None:
        raise ValueError(f"'{plate.less}', which is to be taken away, has no result that is kept")
    source = replace(mine, mesh_key=newest[1]["mesh_key"], run_key=newest[0], variant=plate.less)
    return Seen(view_of(source), loaded(source).locator, plate.quantity)
