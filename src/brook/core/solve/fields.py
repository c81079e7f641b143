"""The fields of a flow at one moment, in SI units."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

import numpy as np

from brook.core.mesh import Mesh
from brook.core.numerics import Stencil

SAVED = ("density", "viscosity", "velocity", "pressure", "flux", "boundary_velocity", "boundary_pressure")


@dataclass(frozen=True, eq=False)
class Fields:
    """density (C,) in kg/m³, viscosity (C,) in Pa s, velocity (C, 3) in m/s, pressure (C,) in Pa, mass flux (F,) in kg/s outward from the owner.

    Boundary values stand in the order of the active boundary faces: velocity (B, 3), pressure (B,). `more` are further
    quantities by name in cells and on boundaries, (C,) and (B,) or (C, 3) and (B, 3): the temperature, means over time.
    """

    stencil: Stencil
    density: np.ndarray
    viscosity: np.ndarray
    velocity: np.ndarray
    pressure: np.ndarray
    flux: np.ndarray
    boundary_velocity: np.ndarray
    boundary_pressure: np.ndarray
    more: dict[str, tuple[np.ndarray, np.ndarray]] = field(default_factory=dict)

    def copied(self, kind: type[float] | type[np.float32] = float) -> Fields:
        """The same in arrays of its own, where these change; in float32 for less room."""
        more: dict[str, tuple[np.ndarray, np.ndarray]] = {
            name: (cells.astype(kind), boundary.astype(kind)) for name, (cells, boundary) in self.more.items()
        }
        return replace(
            self, velocity=self.velocity.astype(kind), pressure=self.pressure.astype(kind), flux=self.flux.astype(kind),
            boundary_velocity=self.boundary_velocity.astype(kind), boundary_pressure=self.boundary_pressure.astype(kind),
            more=more,
        )  # fmt: skip

    @property
    def mesh(self) -> Mesh:
        """The mesh they stand on."""
        return self.stencil.mesh

    @property
    def viscosity_on_boundary(self) -> np.ndarray:
        """In Pa s (B,)."""
        found = self.more.get("viscosity")
        return self.viscosity[self.stencil.face_cell] if found is None else found[1]

    @property
    def flowing_capacity(self) -> np.ndarray:
        """Heat capacity (C,) in J/(kg K) of what flows, nothing in a run without heat."""
        return self.more["capacity"][0] if "capacity" in self.more else np.zeros(self.mesh.cell_count)

    @cached_property
    def speed(self) -> np.ndarray:
        """In m/s (C,)."""
        return np.linalg.norm(self.velocity, axis=1)

    def flow(self, patch_name: str) -> float:
        """Volume flow out through a patch in m³/s. Raises `KeyError`."""
        faces = self.mesh.patch(patch_name).faces
        return float((self.flux[faces] / self.density[self.stencil.owner[faces]]).sum())

    def mass_flow(self, patch_name: str) -> float:
        """Mass flow out through a patch in kg/s. Raises `KeyError`."""
        return float(self.flux[self.mesh.patch(patch_name).faces].sum())

    @cached_property
    def volume_flux(self) -> np.ndarray:
        """Volume flow (B,) in m³/s out through each boundary face."""
        return self.flux[self.stencil.inner :] / self.density[self.stencil.face_cell]

    def inflow(self) -> float:
        """Volume flow in through all boundaries together, in m³/s."""
        return float(-self.volume_flux[self.volume_flux < 0].sum())

    def imbalance(self) -> float:
        """Net mass flow through all boundaries over that which comes in; in a closed domain the net flow itself, in kg/s.

        Volumes need not balance: a gas that is warmed on its way leaves with more than it came with.
        """
        through = self.flux[self.stencil.inner :]
        net, inflow = abs(float(through.sum())), float(-through[through < 0].sum())
        return net / inflow if inflow > 0 else net

    def save(self, path: Path, time: float | None = None) -> None:
        """Writes all into an npz file; of a `time` in s on the way of a run in 32 bits."""
        arrays = {n: getattr(self, n) for n in SAVED}
        for name, (cells, boundary) in self.more.items():
            arrays |= {f"more-{name}": cells, f"edge-{name}": boundary}
        if time is not None:
            arrays = {n: a.astype(np.float32) if a.dtype == float else a for n, a in arrays.items()} | {
                "time": np.array(time)
            }
        np.savez(path, **arrays)

    @classmethod
    def load(cls, path: Path, stencil: Stencil) -> Fields:
        """Reads it again, for the stencil of its mesh."""
        with np.load(path) as file:
            data = {
                n: file[n].astype(float, copy=False) if file[n].dtype == np.float32 else file[n] for n in file.files
            }
            names = [n.removeprefix("more-") for n in data if n.startswith("more-")]
            density, viscosity = (np.broadcast_to(data[n], (stencil.cells,)) for n in ("density", "viscosity"))
            return cls(
                stencil, density, viscosity, data["velocity"], data["pressure"], data["flux"],
                data["boundary_velocity"], data["boundary_pressure"],
                {name: (data[f"more-{name}"], data[f"edge-{name}"]) for name in names},
            )  # fmt: skip
