// One view of a plane field: loads its arrays, draws, pans and zooms, and says the value under the pointer.

import { painter } from "./painter.js";

const loaded = new Map();

/** An array of a result by its address; each is fetched once. */
export function array(address, Kind = Float32Array) {
  if (!loaded.has(address)) loaded.set(address, fetched(address, Kind));
  return loaded.get(address);
}

async function fetched(address, Kind) {
  const answer = await fetch(address);
  if (answer.status === 204) throw new Error("the run has just ended");
  if (!answer.ok) throw new Error((await answer.text()).slice(0, 200) || answer.statusText);
  return new Kind(await answer.arrayBuffer());
}

function topology(corners, offsets) {
  const cells = offsets.length - 1;
  const count = corners.length / 2;
  const triangles = new Uint32Array(3 * (count - 2 * cells));
  const lines = new Uint32Array(2 * count);
  let t = 0, l = 0;
  for (let c = 0; c < cells; c++) {
    const [a, b] = [offsets[c], offsets[c + 1]];
    for (let k = a + 1; k < b - 1; k++) { triangles[t++] = a; triangles[t++] = k; triangles[t++] = k + 1; }
    for (let k = a; k < b; k++) { lines[l++] = k; lines[l++] = k + 1 < b ? k + 1 : a; }
  }
  return { triangles, lines };
}

/** A mesh in memory: polygons, triangles, GPU buffers, its box, and bins to find places in. One for each address. */
export class Layer {
  static made = new Map();

  static async of(base) {
    if (!Layer.made.has(base)) Layer.made.set(base, Promise.all([array(`${base}/corners.f32`), array(`${base}/offsets.u32`, Uint32Array)]).then(([c, o]) => new Layer(c, o)));
    return Layer.made.get(base);
  }

  constructor(corners, offsets) {
    if (!painter().gl) throw new Error("this browser has no WebGL, which the pictures need");
    Object.assign(this, { corners, offsets, topology: topology(corners, offsets), bins: null });
    this.mesh = painter().upload({ corners, ...this.topology });
    this.box = [Infinity, Infinity, -Infinity, -Infinity];
    for (let i = 0; i < corners.length; i += 2) {
      this.box[0] = Math.min(this.box[0], corners[i]); this.box[2] = Math.max(this.box[2], corners[i]);
      this.box[1] = Math.min(this.box[1], corners[i + 1]); this.box[3] = Math.max(this.box[3], corners[i + 1]);
    }
  }

  /** Each cell's mean with its area, for the histogram; places without a value are left out. */
  samples(values) {
    const { corners, offsets } = this, cells = offsets.length - 1;
    const value = new Float32Array(cells), weight = new Float32Array(cells);
    let low = Infinity, high = -Infinity;
    for (let c = 0; c < cells; c++) {
      const [a, b] = [offsets[c], offsets[c + 1]];
      let sum = 0, area = 0;
      for (let k = a; k < b; k++) {
        sum += values[k];
        const n = k + 1 < b ? k + 1 : a;
        area += corners[2 * k] * corners[2 * n + 1] - corners[2 * n] * corners[2 * k + 1];
      }
      const known = Number.isFinite(sum);
      value[c] = known ? sum / (b - a) : 0;
      weight[c] = known ? Math.abs(area) / 2 : 0;
    }
    for (const v of values) { if (v < low) low = v; if (v > high) high = v; }
    return { value, weight, low, high };
  }

  /** Where a place lies: three corners and their shares, or null outside. */
  locate([x, y]) {
    this.bins ??= this.sort();
    const { columns, rows, width, height, lists } = this.bins;
    const i = Math.floor((x - this.box[0]) / width), j = Math.floor((y - this.box[1]) / height);
    if (i < 0 || j < 0 || i >= columns || j >= rows) return null;
    const p = this.corners, t = this.topology.triangles;
    for (const k of lists[j * columns + i] ?? []) {
      const [a, b, c] = [2 * t[k], 2 * t[k + 1], 2 * t[k + 2]];
      const area = (p[b] - p[a]) * (p[c + 1] - p[a + 1]) - (p[c] - p[a]) * (p[b + 1] - p[a + 1]);
      const u = ((x - p[a]) * (p[c + 1] - p[a + 1]) - (p[c] - p[a]) * (y - p[a + 1])) / area;
      const v = ((p[b] - p[a]) * (y - p[a + 1]) - (x - p[a]) * (p[b + 1] - p[a + 1])) / area;
      if (u >= -1e-6 && v >= -1e-6 && u + v <= 1 + 1e-6) return { at: [t[k], t[k + 1], t[k + 2]], share: [1 - u - v, u, v] };
    }
    return null;
  }

  sort() {
    const t = this.topology.triangles, p = this.corners;
    const cells = Math.max(1, Math.round(Math.sqrt(t.length / 3)));
    const [x0, y0, x1, y1] = this.box;
    const shape = (x1 - x0) / (y1 - y0);
    const columns = Math.max(1, Math.round(Math.sqrt(cells * cells * shape) / 2)), rows = Math.max(1, Math.round(cells / Math.sqrt(shape) / 2));
    const width = ((x1 - x0) / columns) * (1 + 1e-9), height = ((y1 - y0) / rows) * (1 + 1e-9);
    const lists = new Array(columns * rows);
    for (let k = 0; k < t.length; k += 3) {
      const [a, b, c] = [2 * t[k], 2 * t[k + 1], 2 * t[k + 2]];
      const i0 = Math.floor((Math.min(p[a], p[b], p[c]) - x0) / width), i1 = Math.min(columns - 1, Math.floor((Math.max(p[a], p[b], p[c]) - x0) / width));
      const j0 = Math.floor((Math.min(p[a + 1], p[b + 1], p[c + 1]) - y0) / height), j1 = Math.min(rows - 1, Math.floor((Math.max(p[a + 1], p[b + 1], p[c + 1]) - y0) / height));
      for (let j = j0; j <= j1; j++) for (let i = i0; i <= i1; i++) (lists[j * columns + i] ??= []).push(k);
    }
    return { columns, rows, width, height, lists };
  }
}

/** The value of a field at a located place. */
export const mixed = (values, { at, share }) => values[at[0]] * share[0] + values[at[1]] * share[1] + values[at[2]] * share[2];

export class FieldView {
  constructor(canvas, { onMove, onView, onPick }) {
    Object.assign(this, { canvas, onMove, onView, onPick, range: [0, 1], map: "even", values: null, showLines: false, overlays: [], picking: false });
    this.listen();
  }

  get box() { return this.layer.box; }
  get mesh() { return this.layer?.mesh; }
  get corners() { return this.layer.corners; }
  get offsets() { return this.layer.offsets; }

  async open() {
    this.layer = await Layer.of(this.canvas.dataset.mesh);
    this.resize();
    this.fit();
  }

  /** Where the values of a quantity come from: `derived` ones from the desk, the others from the run's own files. */
  address(quantity, derived = "") {
    const { values, live, at, readout, run } = this.canvas.dataset;
    if (live) return `${values}/${quantity}.f32?at=${at}`;
    return derived ? `${readout}/field/${quantity}.f32?run=${run}&as=${encodeURIComponent(derived)}` : `${values}/${quantity}.f32`;
  }

  async show(quantity, derived = "", address = null) {
    this.quantity = quantity;
    if (!quantity) { this.values = null; return; }
    const from = address ?? this.address(quantity, derived);
    const values = this.canvas.dataset.live ? await fetched(from, Float32Array) : await array(from);
    if (quantity !== this.quantity) return;
    this.values = values;
  }

  samples() { return this.layer.samples(this.values); }

  /** What the canvas shows, to be taken back with `put`. */
  take() { return { layer: this.layer, values: this.values }; }
  put({ layer, values }) { Object.assign(this, { layer, values }); this.draw(); }

  resize() {
    const ratio = window.devicePixelRatio || 1;
    const width = this.canvas.parentElement.clientWidth;
    const [x0, y0, x1, y1] = this.box;
    const [least, most, room] = this.canvas.closest(".plate") ? [110, 260, 1.12] : this.canvas.closest("#curves") ? [120, 300, 1.06] : [170, 470, 1.12];
    const height = Math.round(Math.min(most, Math.max(least, (width * room * (y1 - y0)) / (x1 - x0))));
    this.canvas.style.height = `${height}px`;
    this.canvas.width = Math.round(width * ratio);
    this.canvas.height = Math.round(height * ratio);
    this.ratio = ratio;
  }

  fit() {
    const [x0, y0, x1, y1] = this.box;
    this.centre = [(x0 + x1) / 2, (y0 + y1) / 2];
    this.perPixel = 1.05 * Math.max((x1 - x0) / this.canvas.width, (y1 - y0) / this.canvas.height);
  }

  /** Where a view looks, independent of its size: centre, and metres across. */
  get camera() { return { centre: [...this.centre], across: this.perPixel * this.canvas.width }; }
  set camera({ centre, across }) { this.centre = [...centre]; this.perPixel = across / this.canvas.width; }

  draw() {
    if (!this.mesh) return;
    painter().paint(this.canvas, this.mesh, {
      centre: this.centre, perPixel: this.perPixel, range: this.range, map: this.map, values: this.values, lines: this.showLines,
    });
    const pen = this.canvas.getContext("2d");
    for (const overlay of this.overlays) overlay(this, pen);
  }

  /** Device pixels of a place. */
  pixel([x, y]) { return [this.canvas.width / 2 + (x - this.centre[0]) / this.perPixel, this.canvas.height / 2 - (y - this.centre[1]) / this.perPixel]; }

  place(event) {
    const box = this.canvas.getBoundingClientRect();
    const px = (event.clientX - box.left) * this.ratio - this.canvas.width / 2;
    const py = (event.clientY - box.top) * this.ratio - this.canvas.height / 2;
    return [this.centre[0] + px * this.perPixel, this.centre[1] - py * this.perPixel];
  }

  zoom(factor, at = this.centre) {
    this.centre = [0, 1].map((i) => at[i] + (this.centre[i] - at[i]) * factor);
    this.perPixel *= factor;
    this.changed();
  }

  pan(x, y) {
    this.centre = [this.centre[0] + x * this.canvas.width * this.perPixel, this.centre[1] + y * this.canvas.height * this.perPixel];
    this.changed();
  }

  changed() { this.draw(); this.onView?.(this); }

  listen() {
    const canvas = this.canvas;
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      this.zoom(Math.exp(0.0015 * event.deltaY), this.place(event));
    }, { passive: false });
    let from = null, moved = false;
    canvas.addEventListener("pointerdown", (event) => { from = { place: this.place(event), x: event.clientX, y: event.clientY }; moved = false; canvas.setPointerCapture(event.pointerId); });
    canvas.addEventListener("pointerup", (event) => {
      if (from && !moved) this.onPick?.(this, this.place(event));
      from = null;
    });
    canvas.addEventListener("pointermove", (event) => {
      const at = this.place(event);
      if (from) {
        moved ||= Math.hypot(event.clientX - from.x, event.clientY - from.y) > 4;
        if (moved) { this.centre = [0, 1].map((i) => this.centre[i] + from.place[i] - at[i]); this.changed(); }
        return;
      }
      this.onMove?.(this, at, this.valueAt(at));
    });
    canvas.addEventListener("pointerleave", () => this.onMove?.(this, null, null));
    canvas.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[event.key];
      if (step) this.pan(...step);
      else if (event.key === "+") this.zoom(0.8);
      else if (event.key === "-") this.zoom(1.25);
      else return;
      event.preventDefault();
    });
  }

  /** The value at a place, null outside; undefined when nothing is coloured. */
  valueAt(place) {
    if (!this.mesh) return null;
    const found = this.layer.locate(place);
    return !found ? null : this.values ? mixed(this.values, found) : undefined;
  }
}
