"""The studies of Marlbeck Hatchery, a made-up trout hatchery on a hill stream."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from brook.core.study import Study, read_study
from brook.core.study.space import SpaceGeometry
from brook.demo import slack_water, spray_header
from brook.store import Store

FOLDER = Path(__file__).parent
NAMES = ("incubation_tray", "intake_bars", "chiller_plate")


class Studio(Protocol):
    store: Store

    def bring_up_to_date(self, slug: str, names: list[str]) -> list[str]: ...


def studies() -> list[Study]:
    texts = {name: (FOLDER / f"{name}.json").read_text() for name in NAMES}
    return [read_study(text) for text in texts.values()] + [slack_water.study(texts["intake_bars"])]


def load(studio: Studio) -> None:
    """Adds the demo studies that are not there yet and queues their runs."""
    there = {read_study(row.document).title for row in studio.store.studies()}
    for study in studies():
        if study.title in there:
            continue
        slug = studio.store.add_study(study, "demo study")
        studio.bring_up_to_date(slug, [v.name for v in study.variants])
    if "Spray header" not in there:
        contents = {name: (file, keep(studio.store, data)) for name, (file, data) in spray_header.files().items()}
        header = spray_header.study(contents)
        slug = studio.store.add_study(header, "demo study")
        studio.bring_up_to_date(
            slug, [v.name for v in header.variants if isinstance(v.geometry, SpaceGeometry) and v.geometry.bodies]
        )


def keep(store: Store, data: bytes) -> str:
    """Puts a shape file in the store; gives the name of its content."""
    with store.shapes.receiving() as receiving:
        receiving.take(data)
        return receiving.keep()
