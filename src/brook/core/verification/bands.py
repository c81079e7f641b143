"""Whether bands are right: of flows and heat that are known exactly, how often the exact value of a reading lies in the band of a series of three meshes, and how
much wider than the true error the band is.

Each case is a study, in lines of even cells, in lines that are finer at walls and in boxes that are finer along one side; cells of the series are
1, 2 and 4 times as large.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import cosh, exp, pi, sinh, sqrt
from typing import Any

import numpy as np
from scipy.integrate import dblquad, quad

from brook.core.checks import prepare
from brook.core.stages.certainty import Certainty, certainty
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study import sized_name
from brook.core.study.document import study_from
from brook.core.study.variants import STEP, series_of
from brook.core.verification.case import Comparison, Found
from brook.core.verification.given import LAMBDA, REYNOLDS

INSIDE, TIMES = (
    0.9,
    4.0,
)  # the share of readings that has to be right, and how much wider than the error bands may be at the middle
ACROSS = 24  # finest cells along a side of 1 m
TINY = 1e-7  # of the size of a reading: under it an error says nothing of a width
KINDS = ("even lines", "graded lines", "boxes")
Known = dict[str, tuple[str, float]]  # the exact value of a reading, by the name that its requirement gets
SIDES = {"left": "west", "right": "east", "bottom": "floor", "top": "lid"}
AROUND = dict.fromkeys(SIDES, "around")  # one patch, through which as much leaves as enters


@dataclass(frozen=True)
class Exact:
    """A case: sides of its rectangle in m (left, bottom, width, height), what is said of it, and readings with their exact values."""

    title: str
    sides: tuple[float, float, float, float]
    set_up: dict[str, Any]
    known: Known
    fields: dict[str, str] | None = None
    patches: dict[str, str] | None = None
    places: dict[str, Any] | None = None


def _fluid(density: float, viscosity: float, **more: str) -> dict[str, str]:
    return {"kind": "own", "density": f"{density!r} kg/m^3", "viscosity": f"{viscosity!r} Pa s", **more}


def _stream(patches: tuple[str, ...], along: str, across: str = "0 m/s") -> list[dict[str, str]]:
    return [{"kind": "stream", "patch": p, "velocity_x": along, "velocity_y": across} for p in patches]


def _points(*at: tuple[float, float]) -> dict[str, Any]:
    return {
        name: {"kind": "point", "x": f"{x!r} m", "y": f"{y!r} m"}
        for name, (x, y) in zip(("here", "there"), at, strict=True)
    }


def _mean(of: Callable[[float, float], float], sides: tuple[float, float, float, float]) -> float:
    """The mean of a function of x and y over a rectangle."""
    left, bottom, width, height = sides
    whole = dblquad(lambda y, x: of(x, y), left, left + width, bottom, bottom + height, epsabs=1e-11, epsrel=1e-11)[0]
    return float(whole / (width * height))


def grid_wake() -> Exact:
    """Kovasznay 1948."""
    along = f"1 m/s * (1 - exp({LAMBDA!r} * x / (1 m)) * cos(2 * pi * y / (1 m)))"
    across = f"{LAMBDA / (2 * pi)!r} m/s * exp({LAMBDA!r} * x / (1 m)) * sin(2 * pi * y / (1 m))"
    sides = (-0.5, -0.5, 1.5, 1.0)

    def energy(x: float, y: float) -> float:
        u = 1 - exp(LAMBDA * x) * np.cos(2 * pi * y)
        v = LAMBDA / (2 * pi) * exp(LAMBDA * x) * np.sin(2 * pi * y)
        return float(u * u + v * v) / 2

    fall = (exp(2 * LAMBDA * 0.5) - exp(2 * LAMBDA * -0.25)) / 2
    return Exact("behind a grid", sides, {
        "fluid": _fluid(1.0, 1 / REYNOLDS), "boundaries": _stream(("around",), along, across),
    }, {"energy": ("block.energy.mean", _mean(energy, sides)), "fall": ("here.pressure.mean - there.pressure.mean", fall)},
        {"energy": "speed^2 / 2"}, AROUND, _points((-0.25, 0.1), (0.5, 0.1)))  # fmt: skip


def plates() -> Exact:
    """Between plates, of a mean speed of 1 m/s, 1 m apart and 2 m long."""
    return Exact("between plates", (0, 0, 2, 1), {
        "fluid": _fluid(1.0, 0.05), "boundaries": [
            *_stream(("west",), "6 m/s * y / (1 m) * (1 - y / (1 m))"), {"kind": "pressure", "patch": "east"}],
    }, {"fall": ("west.pressure.mean - east.pressure.mean", 12 * 0.05 * 2), "drag": ("floor.force_x.total", 6 * 0.05 * 2),
        "energy": ("block.energy.mean", 0.6)}, {"energy": "speed^2 / 2"})  # fmt: skip


def dragged() -> Exact:
    """A plate that slides against a flow: u = y + 3 y (1 − y) · (−1) in m/s."""
    along = "1 m/s * (y / (1 m) - 3 * y / (1 m) * (1 - y / (1 m)))"
    slide = {"kind": "sliding", "patch": "lid", "velocity_x": "1 m/s"}
    return Exact("a plate that slides", (0, 0, 1, 1), {
        "fluid": _fluid(1.0, 0.1), "boundaries": [*_stream(("west", "east"), along), slide],
    }, {"lid": ("lid.force_x.total", -0.1 * 4.0), "floor": ("floor.force_x.total", 0.1 * -2.0)})  # fmt: skip


def swirl() -> Exact:
    """A piece of the flow between turning cylinders: u = a r + b/r."""
    a, b, sides = 0.3, 0.6, (0.5, 0.5, 1.0, 1.0)
    around = f"({a} * 1 1/s + {b} * 1 m^2/s / (x^2 + y^2))"

    def speed(x: float, y: float) -> float:
        r = sqrt(x * x + y * y)
        return a * r + b / r

    def pressure(r: float) -> float:
        return float(a * a * r * r / 2 + 2 * a * b * np.log(r) - b * b / (2 * r * r))

    rise = pressure(sqrt(1.3**2 + 1.3**2)) - pressure(sqrt(0.7**2 + 0.7**2))
    return Exact("a swirl", sides, {
        "fluid": _fluid(1.0, 0.02), "boundaries": _stream(("around",), f"-y * {around}", f"x * {around}"),
    }, {"energy": ("block.energy.mean", _mean(lambda x, y: speed(x, y) ** 2 / 2, sides)),
        "rise": ("there.pressure.mean - here.pressure.mean", rise)}, {"energy": "speed^2 / 2"}, AROUND, _points((0.7, 0.7), (1.3, 1.3)))  # fmt: skip


def drawn_in() -> Exact:
    """Along a plate that draws fluid in: u = 1 − exp(−V y/ν)."""
    rate = 5.0
    along, sides = f"1 m/s * (1 - exp(-{rate} * y / (1 m)))", (0.0, 0.0, 1.0, 1.0)
    inward = f"{-rate * 0.05!r} m/s"
    energy = quad(lambda y: ((1 - exp(-rate * y)) ** 2 + (rate * 0.05) ** 2) / 2, 0, 1, epsabs=1e-13)[0]
    return Exact("a plate that draws in", sides, {
        "fluid": _fluid(1.0, 0.05), "boundaries": _stream(("around",), along, inward),
    }, {"energy": ("block.energy.mean", energy), "turning": ("block.vorticity.mean", exp(-rate) - 1)}, {"energy": "speed^2 / 2"}, AROUND)  # fmt: skip


SOLID = {"kind": "own_solid", "density": "1 kg/m^3", "heat_capacity": "1 J/(kg K)", "conductivity": "1 W/(m K)"}


def _solid(patches: list[dict[str, str]], power: float = 0.0) -> dict[str, Any]:
    heat: dict[str, Any] = {"start": "300 K", "patches": [{"kind": "temperature", **p} for p in patches]}
    if power:
        heat["sources"] = [{"body": "block", "power": f"{power!r} W"}]
    return {"heat": heat, "materials": {"block": SOLID}}


def warmed_slab() -> Exact:
    """Heat set free between two cold sides: T = T₀ + q/2k x (1 − x); slices are 1 m deep."""
    cold = [{"patch": p, "temperature": "300 K"} for p in ("west", "east")]
    return Exact("a slab that is warmed", (0, 0, 1, 0.5), _solid(cold, 50.0), {
        "warmer": ("block.temperature.mean - 300 K", 100 / 12), "warmest": ("block.temperature.max - 300 K", 100 / 8),
    })  # fmt: skip


def warmed_block() -> Exact:
    """The same with four cold sides: the double series of Fourier."""
    cold = [{"patch": p, "temperature": "300 K"} for p in SIDES.values()]
    odd = np.arange(1, 400, 2.0)
    n, m = np.meshgrid(odd, odd)
    mean = 100 * float((64 / (pi**6 * n**2 * m**2 * (n**2 + m**2))).sum())
    sign = (-1.0) ** ((n + m) / 2 - 1)
    middle = 100 * float((16 * sign / (pi**4 * n * m * (n**2 + m**2))).sum())
    return Exact("a block that is warmed", (0, 0, 1, 1), _solid(cold, 100.0), {
        "warmer": ("block.temperature.mean - 300 K", mean), "warmest": ("block.temperature.max - 300 K", middle),
    })  # fmt: skip


def one_hot_side() -> Exact:
    """A square with one hot side, where temperatures jump in two corners."""
    sides = [{"patch": p, "temperature": "400 K" if p == "floor" else "300 K"} for p in SIDES.values()]
    through = sum(8 / (n * pi * sinh(n * pi)) for n in range(1, 60, 2))
    return Exact("one hot side", (0, 0, 1, 1), _solid(sides), {
        "warmer": ("block.temperature.mean - 300 K", 25.0), "heat": ("lid.heat.total", 100 * through),
    })  # fmt: skip


def decaying() -> Exact:
    """What decays as it flows along: c = exp(−k x/u)."""
    rate = 1.5
    slip = [{"kind": "slip", "patch": p} for p in ("floor", "lid")]
    tracer = {"kind": "tracer", "diffusivity": "0 m^2/s", "decay": f"{rate} 1/s", "inflows": [{"patch": "west", "concentration": "1 kg/m^3"}]}  # fmt: skip
    return Exact("what decays on its way", (0, 0, 1, 0.5), {
        "fluid": _fluid(1000.0, 1e-3), "scalars": [tracer],
        "boundaries": [{"kind": "velocity", "patch": "west", "speed": "1 m/s"}, {"kind": "pressure", "patch": "east"}, *slip],
    }, {"left": ("east.tracer.mean", exp(-rate)), "held": ("block.tracer.mean", (1 - exp(-rate)) / rate)})  # fmt: skip


def packed() -> Exact:
    """Between plates with a porous filling (Brinkman 1949): u ~ 1 − cosh(m y)/cosh(m/2) from the middle."""
    m, viscosity = 8.0, 0.1
    shape = f"(1 - cosh({m} * (y / (1 m) - 0.5)) / {cosh(m / 2)!r})"
    mean = 1 - 2 / m * sinh(m / 2) / cosh(m / 2)
    porous = {"kind": "porous", "permeability": f"{1 / m**2!r} m^2"}
    return Exact("a packed duct", (0, 0, 1, 1), {
        "fluid": _fluid(1.0, viscosity), "within": [porous],
        "boundaries": [*_stream(("west",), f"{1 / mean!r} m/s * {shape}"), {"kind": "pressure", "patch": "east"}],
    }, {"fall": ("west.pressure.mean - east.pressure.mean", viscosity * m * m / mean),
        "drag": ("floor.force_x.total", viscosity * m * sinh(m / 2) / cosh(m / 2) / mean)})  # fmt: skip


def dying_eddies() -> Exact:
    """Taylor & Green 1937, from rows of eddies through time."""
    viscosity, end, sides = 0.05, 0.5, (0.0, 0.0, 1.0, 1.0)
    fade = f"exp(-{2 * viscosity * pi**2!r} * t / (1 s))"
    along = "1 m/s * sin(pi * x / (1 m)) * cos(pi * y / (1 m))"
    across = "-1 m/s * cos(pi * x / (1 m)) * sin(pi * y / (1 m))"
    fallen = exp(-4 * viscosity * pi**2 * end)
    timing = {"kind": "in_time", "duration": f"{end} s", "steps": "fixed", "step": "0.0125 s", "keep_every": f"{end} s", "residual": "1e-6",
              "averages": False}  # fmt: skip
    return Exact("dying eddies", sides, {
        "fluid": _fluid(1.0, viscosity), "timing": timing, "start": {"kind": "formula", "velocity_x": along, "velocity_y": across},
        "boundaries": _stream(("around",), f"{along} * {fade}", f"{across} * {fade}"),
    }, {"energy": ("block.energy.mean", fallen / 4), "turning": ("block.spins.mean", fallen * pi**2)},
        {"energy": "speed^2 / 2", "spins": "vorticity^2"}, AROUND)  # fmt: skip


CASES = (
    grid_wake,
    plates,
    dragged,
    swirl,
    drawn_in,
    warmed_slab,
    warmed_block,
    one_hot_side,
    decaying,
    packed,
    dying_eddies,
)


def study(case: Exact, kind: str, across: int = ACROSS) -> Any:
    """The case as a study, in one of the kinds of mesh."""
    left, bottom, width, height = case.sides
    size = 1.0 / across
    outer = {"name": "block", "left": f"{left!r} m", "bottom": f"{bottom!r} m", "width": f"{width!r} m", "height": f"{height!r} m", "patches": case.patches or SIDES}  # fmt: skip
    plan: dict[str, Any] = {"bulk": f"{size!r} m", "wall": f"{size!r} m"}
    if kind == "graded lines":
        plan = {"bulk": f"{1.6 * size!r} m", "wall": f"{size / 2!r} m", "growth": "1.15"}
    elif kind == "boxes":
        near = {"kind": "box", "x": f"{left - 0.1!r} m", "y": f"{bottom - 0.1!r} m", "z": "-1 m", "width": f"{width + 0.2!r} m",
                "depth": "0.3 m", "height": "3 m", "size": f"{size / 2!r} m"}  # fmt: skip
        plan = {"way": "boxes", "bulk": f"{size!r} m", "wall": f"{size!r} m", "zones": [near]}
    asked = [
        {"name": name, "title": name, "reading": text, "limit": {"kind": "smallest"}}
        for name, (text, _) in case.known.items()
    ]
    return study_from({
        "format": "brook-study", "version": 1, "title": case.title, "mesh_plan": plan, "set_up": case.set_up, "fields": case.fields or {}, "places": case.places or {},
        "variants": [{"name": "a", "title": "A", "geometry": {"body": "block", "outer": outer}}], "requirements": asked,
        "run_rules": {"residual": "1e-7", "iterations": 4000},
    })  # fmt: skip


def sure(case: Exact, kind: str, across: int = ACROSS) -> list[tuple[str, float, Certainty]]:
    """Of each reading of a case: its name, the exact value and how sure the series is of it."""
    whole = study(case, kind, across)
    rows: list[tuple[float, list[Any]]] = []
    for coarser in reversed(series_of(0)):
        prepared = prepare(whole, whole.variant(sized_name("a", coarser)))
        if prepared.problems:
            raise ValueError(str(prepared.problems[0]))
        outcome = solve(whole, prepared, make_mesh(prepared))
        rows.append((STEP**coarser, read_all(whole, prepared, outcome.fields, outcome.history)))
    unsteady = "timing" in case.set_up
    return [
        (name, exact, certainty([(size, results[k].as_dict()) for size, results in rows], unsteady))
        for k, (name, (_, exact)) in enumerate(case.known.items())
    ]


def run() -> list[Found]:
    """All cases in all kinds of mesh: the share that is right, and how wide bands are at the middle."""
    inside, without, wider, count = 0, 0, [], 0
    by_kind: dict[str, list[bool]] = {}
    for make in CASES:
        case = make()
        for kind in KINDS:
            for _, exact, found in sure(case, kind):
                count += 1
                off = abs(found.values[0] - exact)
                right = found.half is not None and off <= found.half + 1e-9 * abs(exact)
                without += found.half is None
                inside += right
                by_kind.setdefault(kind, []).append(right)
                if found.half is not None and off > TINY * abs(exact):
                    wider.append(found.half / off)
    words = f"{count} readings of {len(CASES)} cases, meshes of 1, 2 and 4 times the size; {without} without a band"
    found_all: list[Found] = [
        Comparison(
            "share of exact values inside their bands", "exact", INSIDE, inside / count, 0.0, words, at_least=True
        ),
        Comparison(
            "what four times the error leaves of the middle band / times",
            "exact",
            0.0,
            TIMES - float(np.median(wider)),
            0.0,
            words,
            at_least=True,
        ),
    ]
    found_all += [
        Comparison(
            f"the same in {kind}",
            "exact",
            INSIDE - 0.1,
            sum(right) / len(right),
            0.0,
            f"{len(right)} readings",
            at_least=True,
        )
        for kind, right in by_kind.items()
    ]
    return found_all
