import assert from "node:assert/strict";
import test from "node:test";

import { offered, written } from "../../src/brook/web/static/complete.js";

const NAMES = ["supply", "surge", "blower()", "sin()", "Q"];

test("the word before the caret is looked for, at the beginning of names first", () => {
  assert.deepEqual(offered("2 * su", 6, NAMES), { start: 4, end: 6, words: ["supply", "surge"] });
  assert.deepEqual(offered("2 * ply", 7, NAMES).words, ["supply"]);
  assert.deepEqual(offered("su + 3", 2, NAMES).words, ["supply", "surge"]);
});

test("nothing is offered where there is no word, for what is whole, and for a unit behind its number", () => {
  for (const [text, caret] of [["2 * ", 4], ["supply", 6], ["3 s", 3], ["", 0]]) assert.deepEqual(offered(text, caret, NAMES).words, []);
});

test("a name is written in the place of the word, the caret within the brackets of a function", () => {
  const at = offered("2 * blo", 7, NAMES);
  assert.deepEqual(written("2 * blo", at, "blower()"), { text: "2 * blower()", caret: 11 });
  assert.deepEqual(written("blo(Q)", offered("blo(Q)", 3, NAMES), "blower()"), { text: "blower(Q)", caret: 6 });
  assert.deepEqual(written("su * 2", offered("su * 2", 2, NAMES), "surge"), { text: "surge * 2", caret: 5 });
});
