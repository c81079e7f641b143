// The cut through a mesh or a result in space: across which axis and where, kept for the tab; a walk to a mesh's worst cells.

import { Layer, frame } from "./layer.js";
import { lostAt, millimetres } from "./losses.js";
import { memory, remember } from "./views.js";

const KEPT = 12; // cuts that stay in the browser

export class Cut {
  /** The cut of a page; null where nothing is cut. Its last place is put before the canvas is opened. */
  static async of(root) {
    const canvas = root.querySelector("canvas.field[data-cuts]");
    if (!canvas || !root.querySelector("#cut-across")) return null;
    if (!canvas.dataset.box) {
      const answer = await fetch(`${canvas.dataset.cuts}/box.json`);
      if (!answer.ok) return null; // what is wrong is said by the picture, which cannot be had either
      canvas.dataset.box = await answer.text();
    }
    return new Cut(root, canvas);
  }

  constructor(root, canvas) {
    const { cuts, box, across, place, name, mesh, values, axes } = canvas.dataset;
    Object.assign(this, { root, canvas, base: cuts, box: JSON.parse(box), key: `cut ${name}`, first: { mesh, values, axes }, gone: [], onMoved: null });
    this.axis = root.querySelector("#cut-across");
    this.place = root.querySelector("#cut-place");
    this.slider = root.querySelector("#cut-slider");
    this.why = root.querySelector("#cut-place-why");
    const before = memory(this.key);
    this.usual = { across, at: Number(place) };
    if (before && this.inside(before.across, before.at)) this.point(before.across, before.at);
    else this.say(across, Number(place));
  }

  attach(pictures) {
    if (!pictures) return;
    this.pictures = pictures;
    this.axis.addEventListener("change", () => {
      const k = "xyz".indexOf(this.axis.value), [low, high] = [this.box[0][k], this.box[1][k]];
      this.move(this.axis.value, this.axis.value === this.usual.across ? this.usual.at : low + 0.507 * (high - low), true);
    });
    this.slider.addEventListener("input", () => this.follow(this.at(this.slider.value / 1000)));
    this.place.addEventListener("change", () => {
      const typed = /^\s*([-+]?[\d.]+(?:e[-+]?\d+)?)\s*(mm|cm|m)?\s*$/i.exec(this.place.value);
      const at = typed ? Number(typed[1]) * { mm: 1e-3, cm: 1e-2, m: 1 }[(typed[2] ?? "mm").toLowerCase()] : NaN;
      if (this.inside(this.across, at)) { this.move(this.across, at); return; }
      this.place.setAttribute("aria-invalid", "true");
      this.why.textContent = `the mesh lies between ${this.ends().map(millimetres).join(" and ")} along ${this.across}`;
    });
    for (const button of this.root.querySelectorAll(".show-cell")) button.addEventListener("click", () => this.show(button.dataset));
  }

  ends() { const k = "xyz".indexOf(this.across); return [this.box[0][k], this.box[1][k]]; }
  at(share) { const [low, high] = this.ends(); return low + Math.min(0.9995, Math.max(0.0005, share)) * (high - low); }
  inside(across, at) { const k = "xyz".indexOf(across); return k >= 0 && at > this.box[0][k] && at < this.box[1][k]; }

  say(across, at) {
    this.across = across;
    const [low, high] = this.ends();
    this.axis.value = across;
    this.place.value = millimetres(at);
    this.slider.value = Math.round((1000 * (at - low)) / (high - low));
    Object.assign(this.canvas.dataset, { across, place: at });
  }

  /** Names the arrays of another cut to the canvas; at the usual place these are the ones that were kept. */
  point(across, at) {
    this.say(across, at);
    const { usual, canvas } = this;
    if (across === usual.across && at === usual.at) {
      delete canvas.dataset.cut;
      Object.assign(canvas.dataset, this.first);
      return;
    }
    const from = `${this.base}/${across}/${at.toPrecision(9)}`;
    Object.assign(canvas.dataset, { cut: "1", mesh: from, values: from, axes: { x: "yz", y: "xz", z: "xy" }[across] });
    this.gone = [...this.gone.filter((one) => one !== from), from];
    if (this.gone.length > KEPT) Layer.forget(this.gone.shift());
  }

  /** Follows a slider that is dragged: one picture after the other, always the newest place. */
  async follow(at) {
    this.place.value = millimetres(at);
    this.wanted = at;
    if (this.busy) return;
    this.busy = true;
    while (this.wanted !== null) {
      const next = this.wanted;
      this.wanted = null;
      await this.move(this.across, next, false, false);
    }
    this.busy = false;
    this.onMoved?.();
  }

  async move(across, at, fit = false, told = true) {
    this.place.removeAttribute("aria-invalid");
    this.why.textContent = "";
    remember(this.key, { across, at });
    const [view] = this.pictures.views, camera = view.camera;
    this.point(across, at);
    try {
      const { cut, readout, mesh } = this.canvas.dataset, quantity = this.pictures.choice.value;
      if (cut && readout && quantity) await frame(mesh, quantity, view.address(quantity, this.pictures.choice.selectedOptions[0].dataset.madeOf ?? ""));
      view.layer = await Layer.of(mesh);
    } catch (error) { this.pictures.problem(error.message); return; }
    if (fit) { view.resize(); this.pictures.fit(); } else view.camera = camera;
    await this.pictures.show();
    if (told) this.onMoved?.();
  }

  /** Cuts through a cell and looks at it from near, coloured by what it is bad at. A place that is lost may lie beyond the whole mesh
   * along one axis: then across another, or at its end. */
  async show({ measure, at, size, away }) {
    const place = at.split(",").map(Number);
    const through = [this.across, "x", "y", "z"].find((axis) => this.inside(axis, place["xyz".indexOf(axis)])) ?? this.across;
    const k = "xyz".indexOf(through), [low, high] = [this.box[0][k], this.box[1][k]];
    const cut = Math.min(high - 0.0005 * (high - low), Math.max(low + 0.0005 * (high - low), place[k]));
    const choice = this.root.querySelector("#quantity");
    if ([...choice.options].some((o) => o.value === measure)) choice.value = measure;
    this.pictures.held = null;
    await this.move(through, cut);
    const [a, b] = { x: [1, 2], y: [0, 2], z: [0, 1] }[this.across];
    const [view] = this.pictures.views;
    view.overlays = away ? [lostAt([place[a], place[b]], Number(away))] : [];
    this.pictures.look({ centre: [place[a], place[b]], across: Math.max(30 * Number(size), 5 * Number(away || 0)) });
    this.canvas.scrollIntoView({ block: "center" });
    this.canvas.focus({ preventScroll: true });
  }
}
