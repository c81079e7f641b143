// Draws fields whose cells are hardly larger than a pixel, cell by cell: far quicker than triangles without a GPU.

import { STEPS, colourMap } from "./colours.js";

const NONE = 0xffebecdb; // as the painter fills a mesh without values
const VOID = [0xffe3ebed, 0xffb2b8b8]; // no fluid there: hatched

/** Colours of a map as they lie in memory. */
const tables = new Map();
function table(name) {
  if (!tables.has(name)) tables.set(name, new Uint32Array(new Uint8ClampedArray(colourMap(name)).buffer));
  return tables.get(name);
}

const paler = (colour) => {
  const mix = (shift) => Math.round(0.45 * ((colour >>> shift) & 255) + 0.55 * 255) << shift;
  return (0xff000000 | mix(16) | mix(8) | mix(0)) >>> 0;
};

/**
 * Draws each cell as the pixels whose middles lie in its box. `boxes` are x0, y0, x1, y1 of each cell, `values` its
 * value or null; hatching is that of the painter.
 */
export function paintFine(target, boxes, { centre, perPixel, range, map, values }) {
  const { width, height } = target, pen = target.getContext("2d");
  const image = pen.createImageData(width, height), pixels = new Uint32Array(image.data.buffer);
  pixels.fill(0xffffffff);
  const colours = table(map), [low, high] = range, span = Math.max(high - low, 1e-30), slack = 1e-4 * (high - low);
  const left = centre[0] - (width / 2) * perPixel, top = centre[1] + (height / 2) * perPixel;
  const cells = boxes.length / 4;
  for (let c = 0; c < cells; c++) {
    const i0 = Math.max(0, Math.ceil((boxes[4 * c] - left) / perPixel - 0.5)), i1 = Math.min(width, Math.ceil((boxes[4 * c + 2] - left) / perPixel - 0.5));
    if (i0 >= i1) continue;
    const j0 = Math.max(0, Math.ceil((top - boxes[4 * c + 3]) / perPixel - 0.5)), j1 = Math.min(height, Math.ceil((top - boxes[4 * c + 1]) / perPixel - 0.5));
    if (j0 >= j1) continue;
    let colour = NONE, other = 0;
    if (values) {
      const v = values[c];
      if (!Number.isFinite(v)) [colour, other] = VOID;
      else {
        colour = colours[Math.round(Math.min(1, Math.max(0, (v - low) / span)) * (STEPS - 1))];
        if (v < low - slack || v > high + slack) other = paler(colour);
      }
    }
    for (let j = j0; j < j1; j++) for (let i = i0; i < i1; i++) pixels[j * width + i] = other && (i - j + 2 * height) % 8 < 2 ? other : colour;
  }
  pen.putImageData(image, 0, 0);
}
