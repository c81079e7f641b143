import assert from "node:assert/strict";
import test from "node:test";

import { pretty, rounded, roundTicks, seconds } from "../../src/brook/web/static/numbers.js";
import { area, length, place, spot } from "../../src/brook/web/static/space/words.js";

test("numbers keep so many digits, and exponents only where nothing else can be read", () => {
  assert.equal(rounded(0.0081234), "0.00812");
  assert.equal(rounded(-12.34), "−12.3");
  assert.equal(rounded(1234567, 3), "1234567");
  assert.equal(rounded(1.5e-9), "1.50e−9");
  assert.equal(rounded(0), "0");
});

test("what is no number is shown as a dash, never as NaN", () => {
  for (const value of [null, NaN, Infinity, undefined]) assert.equal(rounded(value), "–");
});

test("ticks are round, lie within the range, and are even", () => {
  for (const [low, high] of [[0, 1], [-3.7, 12.2], [1e-5, 4e-5], [0.99, 1.01], [-250, -17], [273.15, 283.2]]) {
    const ticks = roundTicks(low, high).map((t) => t.value);
    assert.ok(ticks.length >= 2 && ticks.length <= 13, `${low} to ${high}: ${ticks}`);
    assert.ok(ticks.every((t) => t >= low - 1e-9 * (high - low) && t <= high + 1e-9 * (high - low)));
    const step = ticks[1] - ticks[0], leading = step / 10 ** Math.floor(Math.log10(step) + 1e-9);
    assert.ok([1, 2, 5, 10].some((f) => Math.abs(leading - f) < 1e-6), `step ${step}`);
    for (let k = 2; k < ticks.length; k++) assert.ok(Math.abs(ticks[k] - ticks[k - 1] - step) < 1e-9 * Math.abs(high - low));
  }
});

test("texts of ticks tell them apart", () => {
  const texts = roundTicks(0.995, 1.004).map((t) => t.text);
  assert.equal(new Set(texts).size, texts.length);
});

test("a range without width has one tick", () => assert.deepEqual(roundTicks(2, 2), [2]));

test("units are written as on paper", () => {
  assert.equal(pretty("degC"), "°C");
  assert.equal(pretty("kg/m^3"), "kg/m³");
  assert.equal(pretty("um/s"), "µm/s");
  assert.equal(pretty("mm^2"), "mm²");
});

test("lengths and areas find the unit they read best in", () => {
  assert.equal(length(0.063), "63 mm");
  assert.equal(length(0.001), "1 mm");
  assert.equal(length(-2.5e-6), "−2.5 µm");
  assert.equal(length(1200), "1.2 km");
  assert.equal(length(0), "0 mm");
  assert.equal(area(4e-4), "4 cm²");
});

test("a place goes into a document as it is, and on screen rounded", () => {
  assert.deepEqual(spot([0.0123456, 0, -1], "inlet"), { patch: "inlet", x: "12.346 mm", y: "0 mm", z: "-1000 mm" });
  assert.equal(place([0.01234, 0, -0.5]), "x 12.3, y 0.0, z −500.0 mm");
});

test("a time stands in the unit that suits it", () => {
  assert.deepEqual([0.0123, 3.456, 240, 9000].map(seconds), ["12.3 ms", "3.46 s", "4.00 min", "2.50 h"]);
});
