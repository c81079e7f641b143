"""What stands in a file of fields: values of cells or of patches, at one moment or at several."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from brook.core.formulas import FormulaError
from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES, Mesh
from brook.core.results.quantities import QUANTITIES, View
from brook.core.units import NONE, Dimension

OF_FACES = ("heat", "capacity")  # what more fields hold that says nothing of cells, or is no result
OF = ("cells", "patches")

Values = dict[str, np.ndarray]


@dataclass(frozen=True)
class Moment:
    """The values (n,) or (n, 3) of cells, or of faces of patches, by name in SI units, at a time in s where there is one."""

    values: Values
    time: float | None = None


@dataclass(frozen=True, eq=False)
class Series:
    """A mesh, its moments in their order, and how many of them there are; `of` its cells or its patches. Moments are worked out one by one, as they are asked for."""

    mesh: Mesh
    moments: Callable[[], Iterator[Moment]]
    count: int = 1
    of: str = "cells"
    dimensions: dict[str, Dimension] = field(default_factory=dict)


@dataclass(frozen=True)
class FieldFormat:
    """A kind of file. `write` gives no sign of itself but the file; `series` says whether it holds several moments, `of` what it can hold."""

    suffix: str
    words: str
    media_type: str
    write: Callable[[Path, Series], None]
    series: bool = True
    of: tuple[str, ...] = OF


def outer_patches(mesh: Mesh) -> list[str]:
    """Patches that bound what is computed: without the planes of a drawing."""
    return [p.name for p in mesh.patches if p.name not in (PLANE_SIDES, WEDGE_SIDES)]


def cell_values(view: View, asked: Sequence[str] = ()) -> tuple[Values, list[str]]:
    """Velocity, speed, pressure and what else the run kept of cells, with the quantities that are asked for; and in words what of these there is not.

    Raises `KeyError` for a quantity that is not known.
    """
    fields = view.fields
    found = {"velocity": fields.velocity, "speed": fields.speed, "pressure": fields.pressure}
    found |= {name: cells for name, (cells, _) in fields.more.items() if name not in OF_FACES}
    return _with(found, view, asked, 0)


def patch_values(view: View, asked: Sequence[str] = ()) -> tuple[Values, list[str]]:
    """The same of the faces of patches, in their order: pressure, velocity, friction along each axis in Pa, where there are any temperature in K, heat flux into the fluid in W/m² and y⁺, and what is asked for."""
    fields = view.fields
    patches = [fields.mesh.patch(name) for name in outer_patches(fields.mesh)]
    here = np.concatenate([np.arange(p.start, p.end) for p in patches]) - fields.stencil.inner if patches else None
    known = {"pressure": fields.boundary_pressure, "velocity": fields.boundary_velocity}
    if fields.speed.any():
        known["friction"] = np.stack([view.values(f"friction_{axis}")[1] for axis in "xyz"], axis=1)
    known |= {name: view.values(name)[1] for name in ("temperature", "heat_flux") if "temperature" in fields.more}
    known |= {name: fields.more[name][1] for name in ("y_plus",) if name in fields.more}
    found, words = _with(known, view, asked, 1)
    return {name: values[here if here is not None else []] for name, values in found.items()}, words


def _with(known: Values, view: View, asked: Sequence[str], of: int) -> tuple[Values, list[str]]:
    found, words, place = dict(known), [], ("body", "patch")[of]
    for name in asked:
        kind = QUANTITIES[name] if name in QUANTITIES else view.own[name].kind
        if place not in kind.on:
            words.append(f"{kind.words}: not known {('in cells', 'on patches')[of]}")
        elif name not in found:
            try:
                found[name] = np.asarray(view.values(name)[of], float)
            except (FormulaError, ValueError, KeyError) as error:
                words.append(f"{kind.words}: {error.args[0] if error.args else error}")
    return found, words


def dimensions_of(view: View, names: Sequence[str]) -> dict[str, Dimension]:
    """What each value is measured in, as far as it is a quantity."""
    known = {**{n: q.dimension for n, q in QUANTITIES.items()}, **{n: q.kind.dimension for n, q in view.own.items()}}
    known |= {"velocity": known["speed"], "friction": known["pressure"], "y_plus": NONE}
    return {name: known[name] for name in names if name in known}
