// One view of a plane field: draws, pans and zooms, and says the value under the pointer.

import { paintFine } from "./fine.js";
import { Layer, array, fetched, mixed } from "./layer.js";
import { painter } from "./painter.js";

// A large field is painted anew this long after the last movement; until then its last picture moves along.
const REST = 110;
// Edges of cells fade out between these sizes of cells, in device pixels.
const FADE = [1.7, 5];
// Large fields are drawn cell by cell while cells are smaller than this, in device pixels.
const FINE = 1.6;

const KEPT_OF_MESHES = ["size", "aspect_ratio"]; // by a mesh, of the cut that its page begins with; others are made of that cut

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

  /** Where the values of a quantity come from: `derived` ones from the result reader, the others from the run's own files. */
  address(quantity, derived = "") {
    const { values, live, at, readout, run, moment, cuts, across, place } = this.canvas.dataset;
    if (this.canvas.dataset.cut) return `${values}/${quantity}.f32?as=${encodeURIComponent(derived)}`;
    if (cuts && values.startsWith("/views/mesh/") && !KEPT_OF_MESHES.includes(quantity)) return `${cuts}/${across}/${place}/${quantity}.f32`;
    if (live) return `${values}/${quantity}.f32?at=${at}`;
    if (moment && !derived) return `${values}/at-${moment}-${quantity}.f32`;
    return derived ? `${readout}/field/${quantity}.f32?run=${run}&as=${encodeURIComponent(derived)}${moment ? `&moment=${moment}` : ""}` : `${values}/${quantity}.f32`;
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

  /** How strongly edges of cells can be drawn: not at all when they would cover everything. */
  get lineStrength() {
    if (!this.showLines) return 0;
    return Math.min(1, Math.max(0, (this.layer.cellSize / this.perPixel - FADE[0]) / (FADE[1] - FADE[0])));
  }

  draw() {
    clearTimeout(this.soon);
    this.soon = null;
    if (!this.mesh) return;
    const lines = this.lineStrength, look = { centre: this.centre, perPixel: this.perPixel, range: this.range, map: this.map };
    if (this.layer.heavy && this.layer.cellSize < FINE * this.perPixel) paintFine(this.canvas, this.layer.boxes, { ...look, values: this.values && this.samples().value });
    else painter().paint(this.canvas, this.mesh, { ...look, values: this.values, lines });
    if (this.layer.heavy) this.keep();
    this.drawOver(this.showLines && !lines);
  }

  drawOver(hidden = false) {
    const pen = this.canvas.getContext("2d");
    for (const overlay of this.overlays) overlay(this, pen);
    if (!hidden) return;
    pen.save();
    Object.assign(pen, { font: `${12 * this.ratio}px ${getComputedStyle(document.body).fontFamily}`, textAlign: "right", lineWidth: 4 * this.ratio, strokeStyle: "#fff", fillStyle: "#2a3338" });
    const at = ["cells are too small to be drawn here: zoom in", this.canvas.width - 10 * this.ratio, this.canvas.height - 8 * this.ratio];
    pen.strokeText(...at);
    pen.fillText(...at);
    pen.restore();
  }

  /** Keeps the field as it is painted now, to move it along. */
  keep() {
    const { width, height } = this.canvas;
    this.kept ??= { canvas: document.createElement("canvas") };
    if (this.kept.canvas.width !== width || this.kept.canvas.height !== height) Object.assign(this.kept.canvas, { width, height });
    this.kept.canvas.getContext("2d").drawImage(this.canvas, 0, 0);
    Object.assign(this.kept, { centre: [...this.centre], perPixel: this.perPixel });
  }

  /** Draws what has moved: a large field from its last picture, and sharp once it rests. */
  move() {
    if (!this.layer?.heavy || !this.kept) { this.draw(); return; }
    const pen = this.canvas.getContext("2d"), { width, height } = this.canvas, kept = this.kept;
    const scale = kept.perPixel / this.perPixel;
    const [x, y] = this.pixel([kept.centre[0] - (width / 2) * kept.perPixel, kept.centre[1] + (height / 2) * kept.perPixel]);
    pen.fillStyle = "#fff";
    pen.fillRect(0, 0, width, height);
    pen.drawImage(kept.canvas, x, y, width * scale, height * scale);
    this.drawOver();
    this.later();
  }

  /** Draws soon, once for many wishes. */
  later() {
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.draw(), this.layer?.heavy ? REST : 0);
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

  changed() { this.move(); this.onView?.(this); }

  listen() {
    const canvas = this.canvas;
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      this.zoom(Math.exp(0.0015 * event.deltaY), this.place(event));
    }, { passive: false });
    let from = null, moved = false;
    canvas.addEventListener("pointerdown", (event) => { from = { place: this.place(event), x: event.clientX, y: event.clientY }; moved = false; canvas.setPointerCapture(event.pointerId); });
    canvas.addEventListener("pointerup", (event) => {
      if (from && !moved) this.onPick?.(this, this.place(event), event);
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
