"""A small picture of a surface, for lists: shaded, seen obliquely from above."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.kernels import painted

YAW, PITCH = -0.9, 0.5
DARK, BRIGHT = np.array([22.0, 78.0, 84.0]), np.array([214.0, 231.0, 229.0])
FINER = 2  # each pixel is the mean of so many by so many


def small_picture(surface: Surface, width: int = 336, height: int = 150) -> np.ndarray:
    """Pixels (height, width, 4) of 8 bits; what is not surface lets through."""
    right = np.array([-np.sin(YAW), np.cos(YAW), 0.0])
    away = np.array([np.cos(PITCH) * np.cos(YAW), np.cos(PITCH) * np.sin(YAW), np.sin(PITCH)])
    seen = surface.points @ np.stack([right, np.cross(away, right), away]).T
    low, high = seen[:, :2].min(axis=0), seen[:, :2].max(axis=0)
    size = np.array([width, height]) * FINER
    scale = float((0.94 * size / np.maximum(high - low, 1e-12 * (surface.size or 1.0))).min())
    flat = (seen[:, :2] - (low + high) / 2) * scale * [1, -1] + size / 2
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    lamp = np.array([0.43, 0.52, 0.74]) @ np.stack([right, np.cross(away, right), away])
    light = np.clip(0.35 + 0.3 * np.abs(normal @ away) + 0.4 * np.abs(normal @ lamp), 0, 1)
    shade = painted(
        np.ascontiguousarray(np.column_stack([flat, seen[:, 2]])), surface.triangles, light, *map(int, size)
    )
    there = shade >= 0
    pixels = np.zeros((*shade.shape, 4))
    pixels[..., :3] = DARK + np.clip(shade, 0, 1)[..., None] * (BRIGHT - DARK)
    pixels[..., 3] = 255.0 * there
    pixels[..., :3] *= there[..., None]
    blocks = pixels.reshape(height, FINER, width, FINER, 4).mean(axis=(1, 3))
    blocks[..., :3] /= np.maximum(blocks[..., 3:] / 255.0, 1e-9)
    return np.clip(blocks, 0, 255).round().astype(np.uint8)
