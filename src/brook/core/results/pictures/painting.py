"""Triangles and lines painted into memory, nearest first by a depth for each pixel: pictures without a browser."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.results.pictures import kernels
from brook.core.study.layers import Look

FIELD = np.radians(28.0)  # of view, from top to bottom
EDGE = 1e-9  # of a triangle, so that none of the pixels on a common side falls between two
NEARER = 6e-4  # by how much lines stand before surfaces, of the distance or of what is seen from top to bottom


@dataclass(frozen=True, eq=False)
class Camera:
    """Where one looks from, by unit vectors to the eye, to the right and upward; the eye (3,) in m, at a distance from the target."""

    look: Look

    @property
    def away(self) -> np.ndarray:
        """From the target to the eye."""
        yaw, pitch = self.look.yaw, self.look.pitch
        return np.array([np.cos(pitch) * np.cos(yaw), np.cos(pitch) * np.sin(yaw), np.sin(pitch)])

    @property
    def right(self) -> np.ndarray:
        return np.array([-np.sin(self.look.yaw), np.cos(self.look.yaw), 0.0])

    @property
    def upward(self) -> np.ndarray:
        return np.cross(self.away, self.right)

    @property
    def distance(self) -> float:
        return self.look.span / (2.0 * float(np.tan(FIELD / 2)))

    @property
    def eye(self) -> np.ndarray:
        """Its place; far away where there is no perspective."""
        far = self.distance if self.look.perspective else 1e6 * self.look.span
        place: np.ndarray = np.asarray(self.look.target) + far * self.away
        return place


def fitted(
    low: np.ndarray, high: np.ndarray, aspect: float, yaw: float = -0.9, pitch: float = 0.5, flat: bool = False
) -> Look:
    """A look from which all of a box is seen: `aspect` is the width of the picture over its height."""
    middle, half = (low + high) / 2, (high - low) / 2
    camera = Camera(Look(yaw=yaw, pitch=pitch, target=(0, 0, 0), span=1.0))
    corners = half * np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)])
    needs = np.maximum(2 * np.abs(corners @ camera.upward), 2 * np.abs(corners @ camera.right) / aspect)
    nearer = 0.0 if flat else 2 * np.tan(FIELD / 2) * np.maximum(0.0, corners @ camera.away)
    span = max(float((1.1 * needs + nearer).max()), 1e-9)
    return Look(yaw=yaw, pitch=pitch, target=tuple(middle.tolist()), span=span, perspective=not flat)


class Painting:
    """A picture `width` by `height` pixels: colours (height, width, 3) from 0 to 1, and how near what is seen is (the larger the
    nearer)."""

    def __init__(self, width: int, height: int, camera: Camera, finer: int = 1):
        self.finer = finer  # pixels painted for one of the picture, each way
        self.width, self.height, self.camera = width, height, camera
        self.pixels = np.ones((width * height, 3))
        self.near = np.full(width * height, -np.inf)

    def placed(self, at: np.ndarray) -> np.ndarray:
        """Pixels across and down, and nearness (n, 3), of places (n, 3) in m; nan behind the eye."""
        camera, look = self.camera, self.camera.look
        off = np.asarray(at, float) - np.asarray(look.target)
        toward = off @ camera.away
        if look.perspective:
            deep = camera.distance - toward
            deep = np.where(deep > 1e-3 * camera.distance, deep, np.nan)
            factor = near = camera.distance / deep
        else:
            factor, near = np.ones(len(off)), toward / look.span
        scale = factor * self.height / look.span
        return np.stack(
            [self.width / 2 + scale * (off @ camera.right), self.height / 2 - scale * (off @ camera.upward), near],
            axis=1,
        )

    def surface(
        self,
        at: np.ndarray,
        triangles: np.ndarray,
        colours: np.ndarray,
        light: np.ndarray,
        plane: np.ndarray | None = None,
        before: bool = False,
    ) -> None:
        """Paints triangles (t, 3) of places (n, 3) with colours (n, 3) at them, each by its light (t,). What lies under a plane (4,) is
        left away, and what has no colour (nan); what lies at the same place is hidden by it where it is to be `before` that."""
        seen = self.placed(at)
        seen[:, 2] += 0.5 * NEARER if before else 0.0
        over = np.ones(len(at)) if plane is None else at @ plane[:3] + plane[3]
        clear = np.isfinite(seen.sum(axis=1) + colours.sum(axis=1))
        one, two, three = triangles.T
        known = clear[one] & clear[two] & clear[three] & ((over[one] >= 0) | (over[two] >= 0) | (over[three] >= 0))
        kernels.filled(
            seen, np.ascontiguousarray(over, float), np.ascontiguousarray(triangles[known], np.int64), np.ascontiguousarray(colours, float),
            np.ascontiguousarray(light[known], float), EDGE, self.width, self.height, self.near, self.pixels,
        )  # fmt: skip

    def _put(self, column: np.ndarray, row: np.ndarray, near: np.ndarray, colour: np.ndarray) -> None:
        pixel = row * self.width + column
        nearer = near > self.near[pixel]
        pixel, near, colour = pixel[nearer], near[nearer], colour[nearer]
        order = np.argsort(near, kind="stable")  # of several the last one stays
        self.near[pixel[order]] = near[order]
        self.pixels[pixel[order]] = colour[order]

    def lines(
        self, ends: np.ndarray, colours: np.ndarray, width: float, through: bool = False, over: bool = False
    ) -> None:
        """Paints pieces (k, 2, 3) in m with colours (k, 2, 3) at their ends, some pixels wide; what lies behind something is hidden. Those
        `over` others lie right before them."""
        seen = self.placed(ends.reshape(-1, 3)).reshape(-1, 2, 3)
        known = np.isfinite(seen.sum(axis=(1, 2)) + colours.sum(axis=(1, 2)))
        seen, colours = seen[known], colours[known]
        run = seen[:, 1, :2] - seen[:, 0, :2]
        steps = (
            np.minimum(np.ceil(np.abs(run).max(axis=1)), 4 * self.width).astype(np.int64) + 1
            if len(run)
            else np.empty(0, np.int64)
        )
        flat = np.abs(run[:, 0]) > np.abs(run[:, 1])
        which = np.repeat(np.arange(len(seen)), steps)
        share = (np.arange(steps.sum()) - np.repeat(np.cumsum(steps) - steps, steps)) / np.maximum(steps[which] - 1, 1)
        place = (1 - share)[:, None] * seen[which, 0] + share[:, None] * seen[which, 1]
        colour = (1 - share)[:, None] * colours[which, 0] + share[:, None] * colours[which, 1]
        near = np.full(len(place), np.inf) if through else place[:, 2] + (1.2 if over else 1.0) * NEARER
        for k in range(max(1, round(width))):
            shift = k - (max(1, round(width)) - 1) / 2
            column = np.floor(place[:, 0] + np.where(flat[which], 0.0, shift)).astype(np.int64)
            row = np.floor(place[:, 1] + np.where(flat[which], shift, 0.0)).astype(np.int64)
            inside = (column >= 0) & (row >= 0) & (column < self.width) & (row < self.height)
            self._put(column[inside], row[inside], near[inside], colour[inside])

    def sees(self, at: np.ndarray) -> np.ndarray:
        """Which places (n, 3) lie in the picture with nothing before them (n,)."""
        seen = self.placed(at)
        column, row = (np.nan_to_num(seen[:, k], nan=-1.0).astype(np.int64) for k in (0, 1))
        inside = (column >= 0) & (row >= 0) & (column < self.width) & (row < self.height)
        pixel = np.where(inside, row * self.width + column, 0)
        open_to: np.ndarray = inside & (seen[:, 2] + 20 * NEARER >= self.near[pixel])
        return open_to

    def image(self, finer: int = 1) -> np.ndarray:
        """Colours (height, width, 3), means of `finer` by `finer` pixels."""
        whole = self.pixels.reshape(self.height // finer, finer, self.width // finer, finer, 3)
        mean: np.ndarray = whole.mean(axis=(1, 3))
        return mean


def normals_of(at: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Unit normals (t, 3) of triangles."""
    a, b, c = np.moveaxis(at[triangles], 1, 0)
    normal = np.cross(b - a, c - a)
    unit: np.ndarray = normal / np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    return unit
