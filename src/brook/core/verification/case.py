"""What a case of verification is, and the list of them."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import partial
from math import log10
from typing import Any


@dataclass(frozen=True)
class Comparison:
    """One figure: the reference and its source, what was measured on which mesh, and the tolerance.

    `difference` is measured - reference, over `scale` where one is given (a lid speed), or over the
    reference; it passes when its size is at most `tolerance`. With `at_least` the measured value
    itself has to reach `reference`.
    """

    what: str
    source: str
    reference: float
    measured: float
    tolerance: float
    mesh: str
    scale: float | None = None
    at_least: bool = False

    @property
    def difference(self) -> float:
        """Of what was measured from the reference, over its scale; how far above it where it is to be at least that."""
        step = self.measured - self.reference
        if self.at_least:
            return step
        return step / (self.scale if self.scale is not None else abs(self.reference))

    @property
    def passed(self) -> bool:
        """Whether that lies within the tolerance."""
        return bool(self.difference >= 0 if self.at_least else abs(self.difference) <= self.tolerance)

    def as_dict(self) -> dict[str, Any]:
        """The same for a file."""
        return {**asdict(self), "difference": self.difference, "passed": self.passed}


@dataclass(frozen=True)
class Curve:
    """A measured line beside published or exact points: what is drawn over what, with units, and where points are from."""

    title: str
    x: str
    y: str
    line: list[tuple[float, float]]
    points: list[tuple[float, float]]
    source: str
    logarithmic: bool = False

    @classmethod
    def of(
        cls,
        title: str,
        x: str,
        y: str,
        line: tuple[Any, Any],
        points: tuple[Any, Any],
        source: str,
        logarithmic: bool = False,
    ) -> Curve:
        """From arrays of x and of y, numbers rounded to five digits."""
        measured, known = (
            [(float(f"{a:.5g}"), float(f"{b:.5g}")) for a, b in zip(*pair, strict=True)] for pair in (line, points)
        )
        return cls(title, x, y, measured, known, source, logarithmic)


Found = Comparison | Curve


@dataclass(frozen=True)
class Result:
    """What a case came to, and the seconds it took."""

    comparisons: list[Comparison]
    curves: list[Curve]
    seconds: float

    def as_dict(self) -> dict[str, Any]:
        """The same for a file."""
        return {
            "seconds": self.seconds, "comparisons": [c.as_dict() for c in self.comparisons],
            "curves": [asdict(c) for c in self.curves],
        }  # fmt: skip


def cases() -> dict[str, Callable[[], list[Found]]]:
    """All cases by name."""
    from brook.core.verification import (
        bands,
        cavity,
        channel,
        convection,
        cylinder,
        given,
        heated,
        manufactured,
        openings,
        particles,
        periodic,
        pipe,
        sheared,
        taylor_green,
        tracer,
        turbulent_bend,
        turbulent_body,
        turbulent_boxes,
        turbulent_channel,
        turbulent_enlargement,
        turbulent_hill,
        turbulent_pipe,
        turbulent_plate,
        turbulent_shear,
        turbulent_step,
        turning,
        walls,
        within,
    )

    cavities = {f"cavity-{re}": partial(cavity.run, re) for re in cavity.FIGURES}
    return {
        "channel": channel.run, "pipe": pipe.run, "manufactured": manufactured.run, **cavities, "cylinder-20": cylinder.run,
        "cylinder-100": cylinder.shedding, "fan-duct": openings.fan_duct, "total-pressure": openings.total_pressure, "shares": openings.shares, "profile": given.profile, "womersley": given.womersley,
        "porous-plug": within.porous_plug, "screen": within.screen, "source-window": within.source_window, "exchanger": within.exchanger, "turning-frame": turning.run,
        "taylor-green": taylor_green.run, **{f"convection-1e{round(log10(ra))}": partial(convection.run, ra) for ra in convection.FIGURES},
        "convection-gas": convection.gas,
        "convection-below": convection.below,
        "graetz": heated.graetz, "composite-wall": heated.composite_wall, "fin": heated.fin,
        "sphere-cooling": heated.sphere_cooling, "sheared": sheared.run, "counterflow": heated.counterflow,
        **{f"cylinder-free-{re}": partial(walls.free, re) for re in walls.FREE}, "flat-plate": walls.flat_plate,
        "taylor-couette": walls.taylor_couette, "tracer": tracer.run, "particles": particles.run, "bands": bands.run, "periodic": periodic.run,
        "flat-plate-turbulent": turbulent_plate.run,
        **{f"channel-{name}": partial(turbulent_channel.run, name) for name in turbulent_channel.FIGURES},
        **{f"channel-590-{model}": partial(turbulent_channel.two_layer, model) for model in ("realizable", "rng")},
        "pipe-turbulent": turbulent_pipe.run, "pipe-turbulent-boxes": turbulent_boxes.run, "step-turbulent": turbulent_step.run,
        "enlargement-turbulent": turbulent_enlargement.run, "bend-turbulent": turbulent_bend.run,
        "hill-turbulent": turbulent_hill.run, "stratified-shear": turbulent_shear.run, "curved-shear": turbulent_shear.curved, "bluff-body": turbulent_body.run,
    }  # fmt: skip


def run_case(name: str) -> Result:
    """Runs a case. Raises `KeyError` for an unknown name."""
    begun = time.perf_counter()
    found = cases()[name]()
    return Result(
        [c for c in found if isinstance(c, Comparison)], [c for c in found if isinstance(c, Curve)],
        time.perf_counter() - begun,
    )  # fmt: skip
