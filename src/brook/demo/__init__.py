"""The studies of Marlbeck Hatchery, a made-up trout hatchery on a hill stream."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Protocol

from brook.core.study import Study, Variant, read_study
from brook.core.study.space import SpaceGeometry
from brook.demo import flood, slack_water
from brook.store import Store
from brook.store.tables import now

FOLDER = Path(__file__).parent
NAMES = ("incubation_tray", "intake_bars", "chiller_plate")
HEADER = "Spray header"
DECIDED = (
    "Incubation tray",
    "Intake bars in slack water",
    "Chiller plate",
)  # by finer cells than planned where a verdict is open
FINER = -2  # steps to which they may be


class Studio(Protocol):
    store: Store

    def find_bands(self, slug: str, names: list[str], finest: int = 0) -> str: ...


def studies() -> list[Study]:
    """The studies whose shapes are drawn, in the order of the shelf: what is computed soonest stands first."""
    texts = {name: (FOLDER / f"{name}.json").read_text() for name in NAMES}
    tray, bars, plate = (read_study(text) for text in texts.values())
    return [tray, slack_water.study(texts["intake_bars"]), flood.study(texts["intake_bars"]), plate, bars]


def load(studio: Studio) -> None:
    """Adds the demo studies with drawn shapes that are not there yet, and has them computed with bands as they stand on the shelf."""
    fresh = _put(studio, studies())
    for study in studies()[:-1]:  # runs through time take longest, and come last of all
        _queue(studio, study, fresh)


def load_rest(studio: Studio) -> None:
    """The same of what takes a while to make, or to compute."""
    *_, last = studies()
    if HEADER not in _titles(studio):
        from brook.demo import spray_header

        contents = {name: (file, keep(studio.store, data)) for name, (file, data) in spray_header.files().items()}
        header = spray_header.study(contents)
        fresh = _put(studio, [header], before=last.title)
        _queue(studio, header, fresh)
    slug = _titles(studio)[last.title]
    if not studio.store.newest_runs(studio.store.study_row(slug).id):
        _queue(studio, last, {last.title: slug})


def _titles(studio: Studio) -> dict[str, str]:
    return {read_study(row.document).title: row.slug for row in studio.store.studies()}


def _put(studio: Studio, fresh: list[Study], before: str = "") -> dict[str, str]:
    """Keeps those that are not there yet, in this order on the shelf, which shows first what was changed last; gives their
    addresses by title."""
    there, added = _titles(studio), {}
    top = studio.store.study_row(there[before]).changed + timedelta(seconds=1) if before in there else now()
    for place, study in enumerate(fresh):
        if study.title not in there:
            added[study.title] = studio.store.add_study(study, "demo study", changed=top - timedelta(seconds=2 * place))
    return added


def _queue(studio: Studio, study: Study, slugs: dict[str, str]) -> None:
    if study.title in slugs:
        finest = FINER if study.title in DECIDED else 0
        studio.find_bands(slugs[study.title], [v.name for v in study.variants if _is_whole(v)], finest)


def _is_whole(variant: Variant) -> bool:
    return not isinstance(variant.geometry, SpaceGeometry) or bool(variant.geometry.bodies)


def keep(store: Store, data: bytes) -> str:
    """Puts a shape file in the store; gives the name of its content."""
    with store.shapes.receiving() as receiving:
        receiving.take(data)
        return receiving.keep()
