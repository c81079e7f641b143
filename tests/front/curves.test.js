import assert from "node:assert/strict";
import test from "node:test";

import { lateRange, oneWay, smoothed, wholeRange } from "../../src/brook/web/static/plot.js";

test("smoothing keeps a straight line, gaps, and the mean of what swings", () => {
  assert.deepEqual(smoothed([1, 2, 3, 4, 5], 3), [1.5, 2, 3, 4, 4.5]);
  assert.deepEqual(smoothed([1, null, 3], 3), [1, null, 3]);
  const swing = Array.from({ length: 60 }, (_, k) => 5 + (k % 2 ? 1 : -1));
  for (const v of smoothed(swing, 21).slice(20, 40)) assert.ok(Math.abs(v - 5) < 0.06);
  const same = [3, 1];
  assert.equal(smoothed(same, 1), same);
});

test("a shock at the start does not flatten the rest of a curve", () => {
  const values = [1e6, 5e4, ...Array.from({ length: 20 }, (_, k) => 1 + 0.01 * k)];
  const [low, high] = lateRange([values]);
  assert.ok(low < 1.19 && low > 0 && high > 1.19 && high < 2, `${low} to ${high}`);
});

test("a range holds all values with room, also when they are all the same or there are none", () => {
  const [low, high] = wholeRange([[1, null, 3], [2, NaN]]);
  assert.ok(low < 1 && high > 3);
  for (const columns of [[[7, 7, 7]], [[0, 0]], [[]], [[null]]]) {
    for (const range of [wholeRange(columns), lateRange(columns)]) assert.ok(range[1] > range[0] && range.every(Number.isFinite));
  }
});

test("a curve that comes back along its axis is drawn in pieces that go one way", () => {
  const circle = Array.from({ length: 41 }, (_, k) => -Math.cos((2 * Math.PI * k) / 40)); // there and back again
  const [out, back, ...more] = oneWay(circle);
  assert.deepEqual([out.length, back.length, more.length], [21, 21, 0]);
  assert.equal(out.at(-1), 20);
  assert.equal(back[0], 20); // both pieces have the place where it turns
  assert.deepEqual(oneWay([0, 1, 2, 1.999, 3]), [[0, 1, 2, 3, 4]]); // a wobble is no turn
  assert.deepEqual(oneWay([0, 0, 0]), [[0, 1, 2]]);
  assert.deepEqual(oneWay([3, 2, null, 1]), [[0, 1, 2, 3]]);
});
