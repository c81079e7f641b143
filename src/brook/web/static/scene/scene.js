// A picture in space: the boundary of a result's mesh, and layers worked out by the server from their recipes.

import { Coloured, arrowsOf, ribbonsOf, segmentsOf, unpack } from "../space/coloured.js";
import { Shape } from "../space/shape.js";

const INK = "#1e2a2e", SOLID = "#b3aa98";
const NEARER = 1e-4; // so that walls in colours lie before the walls behind them
const LARGE = 150000; // cells from which a cut is coarser while it moves
const KEPT = 40; // layers of results that stay in the browser
const kept = new Map();

/** What the server made of a recipe, once for each. */
function made(address) {
  if (!kept.has(address)) {
    const asked = unpack(address);
    kept.set(address, asked);
    asked.catch(() => kept.delete(address));
    if (kept.size > KEPT) kept.delete(kept.keys().next().value);
  } else { const known = kept.get(address); kept.delete(address); kept.set(address, known); }
  return kept.get(address);
}

/** The shape that a result's picture begins with: seen from inside, named patches, edges. `source` has readout and run, and with `less` the name and run of what is taken away. */
export async function shapeOf({ readout, run, boundary = `${readout}/boundary/${run}.bin` }) {
  const { arrays, numbers } = await made(boundary);
  const middle = numbers.box[0].map((low, k) => (low + numbers.box[1][k]) / 2);
  const patches = numbers.patches.map((name, k) => ({ name, words: "patch", colour: "#d8d1c2", around: true, at: numbers.middles[k], role: "" }));
  const shape = new Shape({ key: boundary, patches, box: numbers.box, closed: false }, {
    points: shifted(arrays.at, middle), triangles: arrays.triangles, number: new Uint32Array(0), starts: arrays.starts, features: new Uint32Array(0),
  });
  shape.large = numbers.cells > LARGE;
  shape.edges = new Coloured({ points: new Float32Array(0), strokes: [{ points: shifted(arrays.outline, middle), values: null, colour: "#6b7780", width: 1 }] });
  shape.layers.set("edges", shape.edges);
  return shape;
}

function shifted(at, middle) {
  const moved = new Float32Array(at.length);
  for (let k = 0; k < at.length; k++) moved[k] = at[k] - middle[k % 3];
  return moved;
}

/** Works out layers for a shape in the colours of a quantity; gives for each what it says: {numbers, words} or {error}. `usual` is the recipe
 * that runs keep ready; cuts that move are made `coarse` of large meshes; of a source with a `moment` at that. */
export async function fill(shape, { readout, run, less = null, moment = "" }, recipes, { quantity, madeOf = "", usual = "", coarse = false }) {
  const then = moment ? `&moment=${moment}` : "", taken = less ? `&less=${less.name}:${less.run}` : "";
  const told = await Promise.all(recipes.map(async (recipe) => {
    const text = JSON.stringify(recipe);
    const rough = coarse && recipe.kind === "cut" ? "&coarse=1" : "";
    const address = text === usual && !less && !rough && !moment ? `${readout}/usual/${run}/${quantity}.bin?as=${encodeURIComponent(madeOf)}` : `${readout}/layer/${run}.bin?quantity=${encodeURIComponent(quantity)}&recipe=${encodeURIComponent(text)}&as=${encodeURIComponent(madeOf)}${taken}${rough}${then}`;
    try { return await made(address); } catch (error) { return { error: error.message }; }
  }));
  return () => putLayers(shape, recipes, told); // at once, so that no picture shows half of a change
}

/** Puts layers that are worked out into a shape; gives what each says, with its recipe. */
export function putLayers(shape, recipes, told) {
  shape.layers = new Map([["edges", shape.edges]]);
  told.forEach((one, k) => {
    if (one.error || !Object.keys(one.arrays).length) return;
    shape.layers.set(`${k}`, (one.drawn ??= layerOf(recipes[k], one, shape)));
    if (one.arrays.solid_at) shape.layers.set(`${k} solid`, (one.solid ??= new Coloured({ points: shifted(one.arrays.solid_at, shape.middle), triangles: one.arrays.solid_triangles, colour: SOLID })));
  });
  shape.plane = planeOf(recipes, told, shape);
  return told.map((one, k) => ({ ...one, recipe: recipes[k] }));
}

/** Which part of a cut of one result lies where another, with a name and a source, has no fluid. */
export async function missingOf({ readout, run }, { name, source }, recipe, quantity) {
  const text = encodeURIComponent(JSON.stringify(recipe));
  return (await made(`${readout}/layer/${run}.bin?quantity=${encodeURIComponent(quantity)}&recipe=${text}&less=${name}:${source.run}`)).numbers.missing ?? 0;
}

/** What is left of a cut that clips: one side of it goes. */
function planeOf(recipes, told, shape) {
  const k = recipes.findIndex((recipe, i) => recipe.kind === "cut" && recipe.clips && !told[i].error);
  if (k < 0) return null;
  const { through, across, clips } = recipes[k], size = Math.hypot(...across) * (clips === "above" ? -1 : 1);
  const n = across.map((v) => v / size);
  return [...n, -n.reduce((sum, v, i) => sum + v * (through[i] - shape.middle[i]), 0) + 1e-6 * Math.hypot(...shape.half)];
}

function layerOf(recipe, { arrays, numbers }, shape) {
  const { middle } = shape, place = (at) => shifted(at, middle);
  if (recipe.kind === "streamlines") return linesOf(recipe, arrays, place(arrays.lines_at), shape, numbers);
  const strokes = [], labels = [];
  if (arrays.outline) strokes.push({ points: place(arrays.outline), values: null, colour: INK, width: 1.2 });
  if (arrays.level_lines) {
    strokes.push({ points: place(arrays.level_lines), values: null, colour: INK, width: 1 });
    labels.push(...levelNotes(strokes.at(-1).points, arrays.level_values));
  }
  if (arrays.arrows_at) strokes.push(...haloed(arrowsOf(place(arrays.arrows_at), arrays.arrows_way, arrays.arrows_step[0], arrays.arrows_across ?? recipe.across, recipe.arrows === "equal")));
  return new Coloured({ points: place(arrays.at), triangles: arrays.triangles, values: arrays.values ?? null, edges: arrays.sides ?? null, strokes, labels, lit: recipe.kind !== "cut", clipped: recipe.kind !== "cut", nearer: recipe.kind === "patches" ? NEARER : 0 });
}

/** Dark strokes with a light edge, so that they are seen on dark colours too. */
const haloed = (points) => [{ points, values: null, colour: "#f4f1e8", width: 2.9 }, { points, values: null, colour: INK, width: 1.3 }];

function linesOf(recipe, arrays, at, shape, numbers) {
  const starts = arrays.lines_start, values = arrays.lines_values ?? null, flow = { at, starts, seconds: arrays.lines_seconds }, own = recipe.by_time ? [0, numbers.longest] : null;
  if (!recipe.ribbons) return Object.assign(new Coloured({ points: new Float32Array(0), strokes: [{ ...segmentsOf(at, starts, values), own, colour: "#20506b", width: 1.8 }] }), { flow });
  const width = 0.012 * Math.hypot(...shape.half) * Math.min(1.5, Math.sqrt(40 / Math.max(1, numbers.lines)));
  return Object.assign(new Coloured({ ...ribbonsOf(at, starts, values, arrays.lines_turn, width), lit: true, own }), { flow });
}

/** One note for each level, on what is drawn of it; those of neighbours stand apart. */
function levelNotes(points, values) {
  const notes = [];
  for (let from = 0; from < values.length;) {
    let to = from;
    while (to < values.length && values[to] === values[from]) to++;
    const n = 6 * (from + Math.floor((to - from) * ((0.35 + 0.618 * notes.length) % 1)));
    notes.push({ at: [0, 1, 2].map((i) => (points[n + i] + points[n + 3 + i]) / 2), value: values[from] });
    from = to;
  }
  return notes;
}

/** A level in the unit that is shown, without noughts that say nothing. */
export const levelWords = (value, { factor, shift }) => `${Number((value * factor + shift).toPrecision(4))}`.replace("-", "−");

/** What the layers of a shape show, for the legend: by areas, or by lengths of lines where there is nothing else; the range holds all. */
export function samplesOf(shape) {
  const layers = [...shape.layers.values()], some = layers.some((layer) => layer.values);
  return layers.map((layer) => layer.samples()).filter((one) => one && Number.isFinite(one.low)).map((one, k, all) => (some && all.length > 1 && one.lines ? { ...one, weight: new Float32Array(one.value.length) } : one));
}

/** Where a view looks, in m, as a plate keeps it; and back. */
export function lookOf(view) {
  const { yaw, pitch, span, perspective, target } = view.camera;
  return { yaw, pitch, target: target.toArray().map((v, i) => v + view.shape.middle[i]), span, perspective };
}

export function lookAt(view, { yaw, pitch, target, span, perspective }) {
  Object.assign(view.camera, { yaw, pitch, span, perspective });
  view.camera.target.set(...target.map((v, i) => v - view.shape.middle[i]));
  view.moved();
}
