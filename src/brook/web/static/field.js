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

export class FieldView {
  constructor(canvas, { onMove, onView }) {
    Object.assign(this, { canvas, onMove, onView, range: [0, 1], map: "even", values: null, showLines: false });
    this.listen();
  }

  async open() {
    const base = this.canvas.dataset.mesh;
    [this.corners, this.offsets] = await Promise.all([array(`${base}/corners.f32`), array(`${base}/offsets.u32`, Uint32Array)]);
    if (!painter().gl) throw new Error("this browser has no WebGL, which the pictures need");
    this.topology = topology(this.corners, this.offsets);
    this.mesh = painter().upload({ corners: this.corners, ...this.topology });
    this.box = [Infinity, Infinity, -Infinity, -Infinity];
    for (let i = 0; i < this.corners.length; i += 2) {
      this.box[0] = Math.min(this.box[0], this.corners[i]); this.box[2] = Math.max(this.box[2], this.corners[i]);
      this.box[1] = Math.min(this.box[1], this.corners[i + 1]); this.box[3] = Math.max(this.box[3], this.corners[i + 1]);
    }
    this.bins = null;
    this.resize();
    this.fit();
  }

  async show(quantity) {
    this.quantity = quantity;
    if (!quantity) { this.values = null; return; }
    const address = `${this.canvas.dataset.values}/${quantity}.f32`;
    const values = this.canvas.dataset.live ? await fetched(`${address}?at=${this.canvas.dataset.at}`, Float32Array) : await array(address);
    if (quantity !== this.quantity) return;
    this.values = values;
    painter().setValues(this.mesh, values);
  }

  /** Weighted values for the histogram: each cell's mean with its area. */
  samples() {
    const cells = this.offsets.length - 1;
    const value = new Float32Array(cells), weight = new Float32Array(cells);
    for (let c = 0; c < cells; c++) {
      const [a, b] = [this.offsets[c], this.offsets[c + 1]];
      let sum = 0, area = 0;
      for (let k = a; k < b; k++) {
        sum += this.values[k];
        const n = k + 1 < b ? k + 1 : a;
        area += this.corners[2 * k] * this.corners[2 * n + 1] - this.corners[2 * n] * this.corners[2 * k + 1];
      }
      value[c] = sum / (b - a);
      weight[c] = Math.abs(area) / 2;
    }
    let low = Infinity, high = -Infinity;
    for (const v of this.values) { if (v < low) low = v; if (v > high) high = v; }
    return { value, weight, low, high };
  }

  resize() {
    const ratio = window.devicePixelRatio || 1;
    const width = this.canvas.parentElement.clientWidth;
    const [x0, y0, x1, y1] = this.box;
    const [least, most, room] = this.canvas.closest(".plate") ? [110, 260, 1.12] : this.canvas.closest("#curves") ? [120, 300, 1.06] : [220, 470, 1.12];
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
      centre: this.centre, perPixel: this.perPixel, range: this.range, map: this.map, coloured: this.values !== null, lines: this.showLines,
    });
  }

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
    let from = null;
    canvas.addEventListener("pointerdown", (event) => { from = this.place(event); canvas.setPointerCapture(event.pointerId); });
    canvas.addEventListener("pointerup", () => { from = null; });
    canvas.addEventListener("pointermove", (event) => {
      const at = this.place(event);
      if (from) { this.centre = [0, 1].map((i) => this.centre[i] + from[i] - at[i]); this.changed(); return; }
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

  /** The value at a place by the triangle it lies in, null outside; undefined when nothing is coloured. */
  valueAt([x, y]) {
    if (!this.mesh) return null;
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
      if (u < -1e-6 || v < -1e-6 || u + v > 1 + 1e-6) continue;
      if (!this.values) return undefined;
      return this.values[t[k]] * (1 - u - v) + this.values[t[k + 1]] * u + this.values[t[k + 2]] * v;
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
      const xs = [0, 1, 2].map((n) => p[2 * t[k + n]]), ys = [0, 1, 2].map((n) => p[2 * t[k + n] + 1]);
      const i0 = Math.floor((Math.min(...xs) - x0) / width), i1 = Math.min(columns - 1, Math.floor((Math.max(...xs) - x0) / width));
      const j0 = Math.floor((Math.min(...ys) - y0) / height), j1 = Math.min(rows - 1, Math.floor((Math.max(...ys) - y0) / height));
      for (let j = j0; j <= j1; j++) for (let i = i0; i <= i1; i++) (lists[j * columns + i] ??= []).push(k);
    }
    return { columns, rows, width, height, lists };
  }
}
