import assert from "node:assert/strict";
import test from "node:test";

import { STEPS, colourAt, colourMap } from "../../src/brook/web/static/colours.js";
import { paintFine } from "../../src/brook/web/static/fine.js";
import { rgbOf } from "../../src/brook/web/static/space/paint.js";

/** Lightness L* of CIE 1976 of a step of a map. */
function lightness(map, k) {
  const linear = [0, 1, 2].map((i) => map[4 * k + i] / 255).map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4));
  const y = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2];
  return y > 0.008856 ? 116 * Math.cbrt(y) - 16 : 903.3 * y;
}

test("the map of magnitudes gets lighter all the way, evenly", () => {
  const map = colourMap("even"), steps = [];
  for (let k = 1; k < STEPS; k++) steps.push(lightness(map, k) - lightness(map, k - 1));
  assert.ok(lightness(map, STEPS - 1) - lightness(map, 0) > 70);
  assert.ok(steps.every((s) => s > -0.6), "never darker but by rounding");
  for (let k = 0; k + 51 < STEPS; k += 51) assert.ok(lightness(map, k + 51) - lightness(map, k) > 5, "every fifth is told from the next");
});

test("the signed map is lightest in the middle and falls to both sides", () => {
  const map = colourMap("signed"), middle = lightness(map, 127);
  for (let k = 16; k < 127; k += 16) {
    assert.ok(lightness(map, 127 - k) < middle && lightness(map, 128 + k) < middle);
    assert.ok(lightness(map, 127 - k) < lightness(map, 127 - k + 16) + 0.6);
  }
});

test("shares outside of the range have the colours of its ends", () => {
  assert.equal(colourAt("even", -2), colourAt("even", 0));
  assert.equal(colourAt("even", 7), colourAt("even", 1));
  assert.match(colourAt("signed", 0.5), /^rgb\(\d+,\d+,\d+\)$/);
});

test("a colour mixed with white goes from itself to white", () => {
  assert.deepEqual(rgbOf("#1e2a2e", 0), [30, 42, 46]);
  assert.deepEqual(rgbOf("#1e2a2e", 1), [255, 255, 255]);
});

/** A canvas as far as painting cell by cell needs it. */
function canvas(width, height) {
  const made = { width, height, pixels: null };
  made.getContext = () => ({
    createImageData: (w, h) => ({ data: new Uint8ClampedArray(4 * w * h) }),
    putImageData: (image) => { made.pixels = new Uint32Array(image.data.buffer); },
  });
  return made;
}

test("cells are painted where they lie, each pixel by the cell round its middle", () => {
  const target = canvas(4, 2);
  const boxes = new Float32Array([0, 0, 2, 2, 2, 0, 4, 2]); // two cells side by side, one pixel to 1
  paintFine(target, boxes, { centre: [2, 1], perPixel: 1, range: [0, 1], map: "even", values: [0, 1] });
  const table = new Uint32Array(new Uint8ClampedArray(colourMap("even")).buffer);
  assert.deepEqual([...target.pixels], [table[0], table[0], table[255], table[255], table[0], table[0], table[255], table[255]]);
});

test("values out of range are hatched, and what has no value is told apart from every colour", () => {
  const target = canvas(16, 16), one = new Float32Array([0, 0, 16, 16]);
  const view = { centre: [8, 8], perPixel: 1, range: [0, 1], map: "even" };
  paintFine(target, one, { ...view, values: [3] });
  assert.equal(new Set(target.pixels).size, 2);
  paintFine(target, one, { ...view, values: [NaN] });
  const table = new Set(new Uint32Array(new Uint8ClampedArray(colourMap("even")).buffer));
  for (const pixel of new Set(target.pixels)) assert.ok(!table.has(pixel));
});
