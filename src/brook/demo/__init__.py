"""The studies of Marlbeck Hatchery, a made-up trout hatchery on a hill stream."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Protocol

from brook.core.study import Study, Variant, read_study
from brook.core.study.space import SpaceGeometry
from brook.demo import slack_water
from brook.store import Store
from brook.store.tables import now

FOLDER = Path(__file__).parent
NAMES = ("incubation_tray", "intake_bars", "chiller_plate")
HEADER = "Spray header"  # its title


class Studio(Protocol):
    store: Store

    def bring_up_to_date(self, slug: str, names: list[str]) -> list[str]: ...


def studies() -> list[Study]:
    """The studies whose shapes are drawn, in the order of the shelf: what is computed soonest stands first."""
    texts = {name: (FOLDER / f"{name}.json").read_text() for name in NAMES}
    tray, bars, plate = (read_study(text) for text in texts.values())
    return [tray, slack_water.study(texts["intake_bars"]), plate, bars]


def load(studio: Studio) -> None:
    """Adds the demo studies that are not there yet, and queues their runs in the order in which they stand on the shelf."""
    there = {read_study(row.document).title for row in studio.store.studies()}
    drawn, begun, slugs = studies(), now(), dict[str, str]()
    last = len(drawn) - 1  # runs through time take longest: nothing waits behind them
    for place, study in enumerate(drawn):
        if study.title not in there:
            # the shelf shows first what was changed last
            slugs[study.title] = studio.store.add_study(
                study, "demo study", changed=begun - timedelta(seconds=2 * place)
            )
    for study in drawn[:last]:
        _queue(studio, study, slugs)
    if HEADER not in there:  # making its files takes a while, and all others are under way by now
        from brook.demo import spray_header

        contents = {name: (file, keep(studio.store, data)) for name, (file, data) in spray_header.files().items()}
        header = spray_header.study(contents)
        changed = begun - timedelta(seconds=2 * last - 1)
        slugs[HEADER] = studio.store.add_study(header, "demo study", changed=changed)
        _queue(studio, header, slugs)
    _queue(studio, drawn[last], slugs)


def _queue(studio: Studio, study: Study, slugs: dict[str, str]) -> None:
    if study.title in slugs:
        studio.bring_up_to_date(slugs[study.title], [v.name for v in study.variants if _is_whole(v)])


def _is_whole(variant: Variant) -> bool:
    return not isinstance(variant.geometry, SpaceGeometry) or bool(variant.geometry.bodies)


def keep(store: Store, data: bytes) -> str:
    """Puts a shape file in the store; gives the name of its content."""
    with store.shapes.receiving() as receiving:
        receiving.take(data)
        return receiving.keep()
