"""Where in a study the result of a calculator belongs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from brook.core.study import Study

MOST = 6  # places that are offered


@dataclass(frozen=True)
class Spot:
    """The pointer of a value, and what it is in `words`, as one would say where something is put."""

    pointer: str
    words: str


def spots_for(study: Study, name: str) -> list[Spot]:
    """Where a result of that name can be put: values that the study has now and that mean the same, the first few."""
    found = FINDERS[name](study) if name in FINDERS else iter(())
    return [spot for _, spot in zip(range(MOST), found, strict=False)]


def _first_height(study: Study) -> Iterator[Spot]:
    layers = study.mesh_plan.layers
    if layers is None:
        yield Spot("/mesh_plan/wall", "cells at walls")
        return
    if layers.height_of == "first":
        yield Spot("/mesh_plan/layers/height", "first layer")
    for k, group in enumerate(layers.groups):
        if group.height_of == "first":
            yield Spot(f"/mesh_plan/layers/groups/{k}/height", f"first layer of {', '.join(group.patches)}")


def _time_step(study: Study) -> Iterator[Spot]:
    if study.set_up.timing.kind == "in_time":
        yield Spot("/set_up/timing/step", "steps in time")


def _eddy_length(study: Study) -> Iterator[Spot]:
    for k, said in enumerate(study.set_up.turbulence.inflows if study.set_up.turbulence else ()):
        if said.incoming.kind == "length":
            yield Spot(f"/set_up/turbulence/inflows/{k}/incoming/length", f"eddies at {said.patch}")


def _diameter(study: Study) -> Iterator[Spot]:
    for k, said in enumerate(study.set_up.turbulence.inflows if study.set_up.turbulence else ()):
        if said.incoming.kind == "duct":
            yield Spot(f"/set_up/turbulence/inflows/{k}/incoming/diameter", f"duct before {said.patch}")


def _film(study: Study) -> Iterator[Spot]:
    for k, said in enumerate(study.set_up.heat.patches if study.set_up.heat else ()):
        if said.kind == "film":
            yield Spot(f"/set_up/heat/patches/{k}/coefficient", f"film at {said.patch}")


def _loss_number(study: Study) -> Iterator[Spot]:
    for k, boundary in enumerate(study.set_up.boundaries):
        if boundary.kind in ("pressure", "rest"):
            yield Spot(f"/set_up/boundaries/{k}/loss", f"loss at {boundary.patch}")
    for k, said in enumerate(study.set_up.within):
        if said.kind == "screen" and said.of == "number":
            yield Spot(f"/set_up/within/{k}/loss", "screen" + (f" at {said.axis} = {said.at}"))


FINDERS = {
    "first_height": _first_height,
    "time_step": _time_step,
    "eddy_length": _eddy_length,
    "hydraulic_diameter": _diameter,
    "film": _film,
    "loss_number": _loss_number,
}
