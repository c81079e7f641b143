// A mesh in memory: polygons, triangles in tiles, GPU buffers, and bins to find places in.

import { painter } from "./painter.js";

const loaded = new Map();
const PER_TILE = 2000, HEAVY = 150000;

/** An array of a result by its address; each is fetched once. */
export function array(address, Kind = Float32Array) {
  if (!loaded.has(address)) {
    loaded.set(address, fetched(address, Kind));
    loaded.get(address).catch(() => loaded.delete(address)); // what failed may be asked for again
  }
  return loaded.get(address);
}

/** Fetches polygons and the values of a quantity on them at once, which are then there by their own addresses. */
export async function frame(base, quantity, address) {
  if (loaded.has(address)) return;
  const content = (await fetched(`${base}/frame.${quantity}.bin`, Uint8Array)).buffer, [offsets, corners] = new Uint32Array(content, 0, 2);
  const at = [8, 8 + 4 * offsets, 8 + 4 * offsets + 8 * corners];
  loaded.set(`${base}/offsets.u32`, Promise.resolve(new Uint32Array(content, at[0], offsets)));
  loaded.set(`${base}/corners.f32`, Promise.resolve(new Float32Array(content, at[1], 2 * corners)));
  loaded.set(address, Promise.resolve(new Float32Array(content, at[2], corners)));
}

/** What an answer says that is not what was asked for. */
function told(text) {
  try { return JSON.parse(text).detail; } catch { return text.slice(0, 200); }
}

export async function fetched(address, Kind) {
  const answer = await fetch(address);
  if (answer.status === 204) throw new Error("the run has just ended");
  if (!answer.ok) throw new Error(told(await answer.text()) || answer.statusText);
  return new Kind(await answer.arrayBuffer());
}

function boxOf(corners, from = 0, to = corners.length / 2, box = [Infinity, Infinity, -Infinity, -Infinity]) {
  let [x0, y0, x1, y1] = box;
  for (let k = 2 * from; k < 2 * to; k += 2) {
    const x = corners[k], y = corners[k + 1];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
  }
  return [x0, y0, x1, y1];
}

/** An even grid over a box with about so many fields, and the field a place lies in. */
function gridOver([x0, y0, x1, y1], count) {
  const shape = (x1 - x0) / (y1 - y0);
  const columns = Math.max(1, Math.round(Math.sqrt(count * shape))), rows = Math.max(1, Math.round(Math.sqrt(count / shape)));
  const width = ((x1 - x0) / columns) * (1 + 1e-6), height = ((y1 - y0) / rows) * (1 + 1e-6);
  return { columns, rows, column: (x) => Math.floor((x - x0) / width), row: (y) => Math.floor((y - y0) / height) };
}

/** Numbers 0 to n-1 sorted by a key: {starts, order}. `keys` calls back once or more for each number. */
function sorted(count, keyCount, keys) {
  const starts = new Uint32Array(keyCount + 1);
  for (let c = 0; c < count; c++) keys(c, (key) => { starts[key + 1]++; });
  for (let k = 0; k < keyCount; k++) starts[k + 1] += starts[k];
  const order = new Uint32Array(starts[keyCount]), at = starts.slice();
  for (let c = 0; c < count; c++) keys(c, (key) => { order[at[key]++] = c; });
  return { starts, order };
}

/** Triangles and edge lines as corner numbers, near ones together: a tile is drawn only when it is in view. */
function topology(corners, offsets, box) {
  const cells = offsets.length - 1, count = corners.length / 2;
  const grid = gridOver(box, Math.ceil(cells / PER_TILE));
  const { starts, order } = sorted(cells, grid.columns * grid.rows, (c, put) => put(grid.row(corners[2 * offsets[c] + 1]) * grid.columns + grid.column(corners[2 * offsets[c]])));
  const triangles = new Uint32Array(3 * (count - 2 * cells)), lines = new Uint32Array(2 * count), tiles = [];
  let t = 0, l = 0;
  for (let tile = 0; tile + 1 < starts.length; tile++) {
    const first = [t, l];
    let around;
    for (let n = starts[tile]; n < starts[tile + 1]; n++) {
      const a = offsets[order[n]], b = offsets[order[n] + 1];
      for (let k = a + 1; k < b - 1; k++) { triangles[t++] = a; triangles[t++] = k; triangles[t++] = k + 1; }
      for (let k = a; k < b; k++) { lines[l++] = k; lines[l++] = k + 1 < b ? k + 1 : a; }
      around = boxOf(corners, a, b, around);
    }
    if (around) tiles.push({ box: around, triangles: [first[0], t], lines: [first[1], l] });
  }
  return { triangles, lines, tiles };
}

/** One for each address. */
export class Layer {
  static made = new Map();

  /** Gives up what is kept of an address. */
  static forget(base) {
    Layer.made.get(base)?.then((layer) => painter().drop(layer.mesh), () => {});
    Layer.made.delete(base);
    for (const address of loaded.keys()) if (address.startsWith(`${base}/`)) loaded.delete(address);
  }

  static async of(base) {
    if (!Layer.made.has(base)) {
      const made = Promise.all([array(`${base}/corners.f32`), array(`${base}/offsets.u32`, Uint32Array)]).then(([c, o]) => new Layer(c, o));
      Layer.made.set(base, made);
      made.catch(() => Layer.made.delete(base));
    }
    return Layer.made.get(base);
  }

  constructor(corners, offsets) {
    if (!painter().gl) throw new Error("this browser has no WebGL, which the pictures need");
    Object.assign(this, { corners, offsets, bins: null, box: boxOf(corners), known: new WeakMap() });
    const made = topology(corners, offsets, this.box);
    this.heavy = made.triangles.length / 3 > HEAVY;
    this.mesh = { ...painter().upload({ corners, ...made }), tiles: made.tiles };
  }

  /** The side of a cell of middle size, in m. */
  get cellSize() {
    const [x0, y0, x1, y1] = this.box;
    return Math.sqrt(((x1 - x0) * (y1 - y0)) / (this.offsets.length - 1));
  }

  /** x0, y0, x1, y1 of each cell. */
  get boxes() {
    if (!this.around) {
      const { corners, offsets } = this, cells = offsets.length - 1;
      this.around = new Float32Array(4 * cells);
      for (let c = 0; c < cells; c++) {
        let x0 = Infinity, y0 = Infinity, x1 = -Infinity, y1 = -Infinity;
        for (let k = 2 * offsets[c]; k < 2 * offsets[c + 1]; k += 2) {
          const x = corners[k], y = corners[k + 1];
          if (x < x0) x0 = x;
          if (x > x1) x1 = x;
          if (y < y0) y0 = y;
          if (y > y1) y1 = y;
        }
        this.around[4 * c] = x0;
        this.around[4 * c + 1] = y0;
        this.around[4 * c + 2] = x1;
        this.around[4 * c + 3] = y1;
      }
    }
    return this.around;
  }

  /** Each cell's mean with its area, for the histogram; where there is no value the weight is nothing. */
  samples(values) {
    if (!this.known.has(values)) this.known.set(values, this.sampled(values));
    return this.known.get(values);
  }

  sampled(values) {
    const { corners, offsets } = this, cells = offsets.length - 1;
    const value = new Float32Array(cells), weight = new Float32Array(cells);
    let low = Infinity, high = -Infinity;
    for (let c = 0; c < cells; c++) {
      const a = offsets[c], b = offsets[c + 1];
      let sum = 0, area = 0;
      for (let k = a; k < b; k++) {
        sum += values[k];
        const n = k + 1 < b ? k + 1 : a;
        area += corners[2 * k] * corners[2 * n + 1] - corners[2 * n] * corners[2 * k + 1];
      }
      const known = Number.isFinite(sum);
      value[c] = known ? sum / (b - a) : NaN;
      weight[c] = known ? Math.abs(area) / 2 : 0;
    }
    for (const v of values) { if (v < low) low = v; if (v > high) high = v; }
    return { value, weight, low, high };
  }

  /** Where a place lies: three corners and their shares, or null outside. */
  locate([x, y]) {
    this.bins ??= this.sort();
    const { columns, rows, starts, order } = this.bins, i = this.bins.column(x), j = this.bins.row(y);
    if (i < 0 || j < 0 || i >= columns || j >= rows) return null;
    const p = this.corners, bin = j * columns + i;
    for (let n = starts[bin]; n < starts[bin + 1]; n++) {
      const first = this.offsets[order[n]], end = this.offsets[order[n] + 1];
      for (let k = first + 1; k < end - 1; k++) {
        const a = 2 * first, b = 2 * k, c = 2 * (k + 1);
        const area = (p[b] - p[a]) * (p[c + 1] - p[a + 1]) - (p[c] - p[a]) * (p[b + 1] - p[a + 1]);
        const u = ((x - p[a]) * (p[c + 1] - p[a + 1]) - (p[c] - p[a]) * (y - p[a + 1])) / area;
        const v = ((p[b] - p[a]) * (y - p[a + 1]) - (x - p[a]) * (p[b + 1] - p[a + 1])) / area;
        if (u >= -1e-6 && v >= -1e-6 && u + v <= 1 + 1e-6) return { at: [first, k, k + 1], share: [1 - u - v, u, v] };
      }
    }
    return null;
  }

  /** Cells by the fields of an even grid that their boxes touch. */
  sort() {
    const cells = this.offsets.length - 1, grid = gridOver(this.box, cells / 2), boxes = this.boxes;
    const bins = sorted(cells, grid.columns * grid.rows, (c, put) => {
      const i1 = Math.min(grid.columns - 1, grid.column(boxes[4 * c + 2])), j1 = Math.min(grid.rows - 1, grid.row(boxes[4 * c + 3]));
      for (let j = grid.row(boxes[4 * c + 1]); j <= j1; j++) for (let i = grid.column(boxes[4 * c]); i <= i1; i++) put(j * grid.columns + i);
    });
    return { ...grid, ...bins };
  }
}

/** The value of a field at a located place. */
export const mixed = (values, { at, share }) => values[at[0]] * share[0] + values[at[1]] * share[1] + values[at[2]] * share[2];
