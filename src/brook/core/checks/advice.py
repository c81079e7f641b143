"""What to look at before a run: all that keeps it from running, and what may be meant otherwise, each with its place and, where there is one, a change."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from brook.core import memory
from brook.core.checks.preparing import Prepared
from brook.core.materials import ConstantFluid
from brook.core.materials.library import State
from brook.core.physics.plate import LAW_ENDS
from brook.core.results.frontal import shadow_of_edges
from brook.core.study import Problem, Study
from brook.core.study.patterns import each, said_alike
from brook.core.units import DIMENSIONS, round_text, show

TURBULENT, LAMINAR, SOUND = 2300.0, 2000.0, 0.3  # Reynolds numbers by a hydraulic diameter, and a Mach number
GAS_CONSTANT = 287.05  # J/(kg K), of air
EXITS = ("out", "exit", "drain", "weir", "grille", "end", "leave", "sink", "away")
PACE, USUAL_ITERATIONS, IN_A_STEP, LONG = (
    2e-6,
    200,
    8,
    1200.0,
)  # s for a cell and iteration; iterations of a run, of a step; s
COVERED, BEFORE = 0.05, 2.0  # share of a stream that bodies may cover, and times that for the way before them
BRIDGES = 100.0  # y⁺ in the middle of the law of the wall
SMALL, LARGE = 1e-4, 1e3  # m, a shape under or over which may be drawn in another unit


@dataclass(frozen=True)
class Change:
    """An action of the document, or `edit`, with its values, and what it does in `words`."""

    words: str
    action: str
    values: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Advice:
    """What is at a place, whether it `blocks` a run, and a change that would mend it."""

    path: str
    message: str
    blocks: bool
    change: Change | None = None


@dataclass(frozen=True)
class Around:
    """Bodies in a stream: the `share` of it that they cover, how wide that is and how far before them it begins, in m; `path` is where that is said."""

    share: float
    wide: float
    before: float
    path: str = "/variants"


@dataclass(frozen=True)
class Flowing:
    """What a flow will be like: a speed in m/s, its Reynolds number by a length, and how many cells a mesh has, 0 where that is not known."""

    speed: float = 0.0
    reynolds: float = 0.0
    cells: int = 0
    around: Around | None = None
    pace: float = 0.0  # s that the last run of the variant took for a cell and iteration, 0 where there was none


def advice(study: Study, prepared: Prepared, problems: list[Problem], flowing: Flowing) -> list[Advice]:
    """The whole list, with what blocks first."""
    found = [Advice(p.path, p.message, True, _mended(study, prepared, p)) for p in problems]
    for part in (_regime, _sound, _first_cells, _around, _alike, _unused, _scale, _room, _time):
        found += part(study, prepared, flowing)
    return sorted(found, key=lambda a: not a.blocks)


def _mended(study: Study, prepared: Prepared, problem: Problem) -> Change | None:
    """The change that takes a problem away, where one can be told."""
    if "no outlet" in problem.message and problem.path == "/set_up/boundaries":
        patch = _exit(study, prepared)
        return None if patch is None else Change(f"Let it leave through {patch}", "set_boundary", {"patch": patch, "kind": "pressure"})  # fmt: skip
    if (match := re.match(r"say the temperature of what enters through (\w+)$", problem.message)) is not None:
        return Change(f"Say that of {match[1]}", "set_heat_patch", {"patch": match[1], "kind": "temperature"})
    if "something else is already said of" in problem.message and problem.path.endswith("/patch"):
        return Change("Take this one out", "remove", {"pointer": problem.path.removesuffix("/patch")})
    if problem.path.startswith("/set_up/within/") and "take this out" in problem.message:
        return Change("Have temperatures computed", "set_heat", {"on": "yes"})
    return None


def _exit(study: Study, prepared: Prepared) -> str | None:
    """The patch of which nothing is said that fluid most likely leaves through."""
    patches = list(prepared.patches or ())
    said = {b.patch for _, b in each(study.set_up.boundaries, patches)}
    opened = [o.patch for o in getattr(prepared.geometry, "openings", ()) if o.patch not in said]
    named = [p for p in patches if p not in said and any(word in p for word in EXITS)]
    found = [*opened, *named]
    return found[0] if found else None


def _regime(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    turbulent, reynolds = study.set_up.turbulence is not None, flowing.reynolds
    if reynolds > TURBULENT and not turbulent:
        message = f"Re = {round_text(reynolds, 3)} is likely turbulent; a laminar answer may be wrong"
        yield Advice("/set_up/turbulence", message, False, Change("Make it turbulent (k-ω SST)", "set_turbulence", {"kind": "sst"}))  # fmt: skip
    elif 0 < reynolds < LAMINAR and turbulent:
        message = f"Re = {round_text(reynolds, 3)} is likely laminar; a model of turbulence may stir too much"
        yield Advice("/set_up/turbulence", message, False, Change("Make it laminar", "set_turbulence", {"kind": "laminar"}))  # fmt: skip


def _first_cells(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    """Where first centres will lie beside walls of a turbulent flow: c_f = 0.079 / Re^(1/4), Blasius (1913), by the hydraulic diameter."""
    plan, fluid = prepared.plan, prepared.fluid
    layers = plan.layers
    height = plan.wall if layers is None else layers.height
    if prepared.turbulence is None or fluid is None or height is None or flowing.reynolds < TURBULENT:
        return
    if layers is not None and (layers.height_of == "y_plus" or layers.growth is None):
        return  # what is wished is said
    if layers is not None and layers.height_of == "all":
        height /= sum(layers.growth**k for k in range(layers.number))
    friction = flowing.speed * (0.079 / flowing.reynolds**0.25 / 2) ** 0.5
    y_plus = height / 2 * friction / fluid.kinematic_viscosity
    if y_plus > LAW_ENDS:
        wish = show(2 * BRIDGES * fluid.kinematic_viscosity / friction, DIMENSIONS["length"])
        where = "/mesh_plan/wall" if layers is None else "/mesh_plan/layers/height"
        message = f"first centres will lie at y⁺ {round_text(y_plus, 2)} or about, where the law of the wall has ended; cells of {wish} at walls lie at {BRIDGES:g}"
        yield Advice(where, message, False)


def _around(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    """How much of a stream bodies cover, and how far they stand from where it enters."""
    around = flowing.around or _around_in_plane(prepared)
    if around is None or not any(b.kind in ("stream", "velocity") for b in prepared.said):
        return
    if around.share > COVERED:
        message = f"the bodies cover {round_text(100 * around.share, 2)} % of the stream: over {100 * COVERED:g} % its sides hold it together, and forces come out too large"
        yield Advice(around.path, message, False)
    if around.before < BEFORE * around.wide:
        before, wide = (show(v, DIMENSIONS["length"]) for v in (around.before, around.wide))
        message = f"the stream enters {before} before the bodies, which cover {wide} of it: under {BEFORE:g} times that they bend it where it enters"
        yield Advice(around.path, message, False)


def _around_in_plane(prepared: Prepared) -> Around | None:
    """Of the bodies in a drawing."""
    shape = prepared.shape
    stream = next((b for b in prepared.said if b.kind == "stream"), None)
    if shape is None or stream is None:
        return None
    way = np.array([v if isinstance(v := getattr(stream, f"velocity_{axis}", 0.0), float) else 0.0 for axis in "xy"])
    within = _inner_edges(shape.rings)
    if not len(within) or not np.abs(way).max() > 0:
        return None
    way /= np.linalg.norm(way)
    every = np.array([[(e.x0, e.y0), (e.x1, e.y1)] for e in shape.edges()])
    covers = shadow_of_edges(within, way)
    return Around(covers / shadow_of_edges(every, way), covers, float((within @ way).min() - (every @ way).min()))


def _inner_edges(rings: Any) -> np.ndarray:
    """Ends (n, 2, 2) of the edges of all rings within the outer one."""
    found = [np.array([[(e.x0, e.y0), (e.x1, e.y1)] for e in ring]) for ring in rings]
    found.sort(key=lambda ends: float(np.ptp(ends[:, :, 0]) * np.ptp(ends[:, :, 1])))
    return np.concatenate(found[:-1]) if len(found) > 1 else np.zeros((0, 2, 2))


def speed_of_sound(fluid: ConstantFluid) -> float:
    """In m/s, of a gas as if it were ideal, √(γ p/ρ) with γ of its heat capacity; 0 of a liquid, of which it is not known."""
    if fluid.pressure and fluid.heat_capacity:
        gas = fluid.pressure / (fluid.density * fluid.temperature)
        return float((fluid.heat_capacity / (fluid.heat_capacity - gas) * gas * fluid.temperature) ** 0.5)
    state = State.of(fluid.substance) if fluid.substance else None
    if state is not None and state.substance.phase == "gas":
        gas = state.pressure * fluid.expansion / fluid.density  # as 1/T is the expansion of an ideal one
        return float((fluid.heat_capacity / (fluid.heat_capacity - gas) * state.pressure / fluid.density) ** 0.5)
    return 0.0


def _sound(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    sound = speed_of_sound(prepared.fluid) if prepared.fluid is not None else 0.0
    if sound and flowing.speed > SOUND * sound:
        speed = show(flowing.speed, DIMENSIONS["speed"])
        yield Advice(
            "/set_up/boundaries", f"{speed} is Mach {flowing.speed / sound:.2g}: the density changes with the speed there, which is not computed", False,
        )  # fmt: skip


def _alike(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    """Statements that could be one."""
    for pattern, patches in said_alike(study.set_up.boundaries, prepared.patches or ()):
        words = f"the same is said of {patches[0]} to {patches[-1]}, {len(patches)} times"
        yield Advice(
            "/set_up/boundaries", words, False, Change(f"Say it once of {pattern}", "say_once", {"pattern": pattern})
        )


def _unused(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    """Named values and tables that nothing asks for."""
    used = {word for text in _texts(study.model_dump(mode="json")) for word in re.findall(r"[a-z][a-z0-9_]*", text)}
    named = [(f"/named_values/{name}", name) for name in study.named_values]
    named += [(f"/tables/{name}", name) for name in study.tables]
    named += [
        (f"/variants/{k}/named_values/{name}", name) for k, v in enumerate(study.variants) for name in v.named_values
    ]
    for path, name in named:
        if name not in used:
            yield Advice(
                path, f"{name} stands in no formula", False, Change(f"Take {name} out", "remove", {"pointer": path})
            )


def _texts(raw: Any) -> Iterator[str]:
    """Every text of a document that may be a formula or name something."""
    if isinstance(raw, dict):
        for key, value in raw.items():
            if key not in ("title", "question", "notes"):
                yield from _texts(value)
    elif isinstance(raw, list):
        for value in raw:
            yield from _texts(value)
    elif isinstance(raw, str):
        yield raw


def _scale(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    shape = prepared.shape
    if shape is None:
        return
    size = float(max(shape.x.max() - shape.x.min(), shape.y.max() - shape.y.min()))
    if not SMALL <= size <= LARGE:
        words = show(size, DIMENSIONS["length"])
        yield Advice("/variants", f"the shape is {words} long: look whether that is the unit that is meant", False)


def _time(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    """How long a run will take, where that is long: by what a cell took in an iteration of the last run, or takes on a usual machine."""
    timing = prepared.timing
    rounds: float = USUAL_ITERATIONS
    if timing.kind == "in_time":
        if not timing.duration or not timing.step:
            return
        rounds = IN_A_STEP * timing.duration / timing.step
    each_cell = flowing.pace or PACE * (1 + (prepared.turbulence is not None) + 0.5 * (prepared.heat is not None))
    seconds = flowing.cells * rounds * each_cell
    if seconds > LONG:
        words = f"{round_text(seconds / 3600, 2)} h" if seconds > 5400 else f"{round_text(seconds / 60, 2)} min"
        counted = f"{rounds:,.0f} iterations".replace(",", "\u202f")
        yield Advice(
            "/run_rules",
            f"a run of {counted} will take about {words}, as cells {'took' if flowing.pace else 'take'} {1e6 * each_cell:.2g} µs each{' in the last one' if flowing.pace else ''}",
            False,
        )


def _room(study: Study, prepared: Prepared, flowing: Flowing) -> Iterator[Advice]:
    needs, free = memory.needed(flowing.cells), memory.machine_free()
    if flowing.cells and needs > free:
        yield Advice(
            "/mesh_plan", f"about {memory.gb(needs)} of memory are needed for its {flowing.cells:,} cells, {memory.gb(free)} are free now", False,
        )  # fmt: skip
