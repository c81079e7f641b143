"""Triangles painted into a picture, pixel by pixel, each as far as nothing is nearer there."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel


@kernel
def filled(seen, over, triangles, colours, light, edge, width, height, near, pixels):
    """Paints triangles (t, 3) of corners `seen` (n, 3): pixels across and down, and nearness, with colours (n, 3) mixed by the shares of the corners, each by its light (t,); what lies
    under a plane, `over` (n,) less than nothing, is left away. `near` (pixels,) and `pixels` (pixels, 3) are those of the picture; `edge` is by how much of a share a pixel's middle may lie outside."""
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        x0, y0 = seen[i, 0], seen[i, 1]
        dx1, dy1, dx2, dy2 = seen[j, 0] - x0, seen[j, 1] - y0, seen[k, 0] - x0, seen[k, 1] - y0
        area = dx1 * dy2 - dx2 * dy1
        if area == 0.0:
            continue
        left = int(max(np.ceil(x0 + min(0.0, dx1, dx2) - 0.5), 0.0))
        right = int(min(np.floor(x0 + max(0.0, dx1, dx2) - 0.5), width - 1.0))
        top = int(max(np.ceil(y0 + min(0.0, dy1, dy2) - 0.5), 0.0))
        bottom = int(min(np.floor(y0 + max(0.0, dy1, dy2) - 0.5), height - 1.0))
        for row in range(top, bottom + 1):
            py = row + 0.5 - y0
            for column in range(left, right + 1):
                px = column + 0.5 - x0
                b = (px * dy2 - dx2 * py) / area
                c = (dx1 * py - px * dy1) / area
                if b < -edge or c < -edge or b + c > 1.0 + edge:
                    continue
                a = 1.0 - b - c
                close = a * seen[i, 2] + b * seen[j, 2] + c * seen[k, 2]
                pixel = row * width + column
                if close <= near[pixel] or a * over[i] + b * over[j] + c * over[k] < 0.0:
                    continue
                near[pixel] = close
                for m in range(3):
                    pixels[pixel, m] = light[t] * (a * colours[i, m] + b * colours[j, m] + c * colours[k, m])
