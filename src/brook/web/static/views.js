// The field canvases of a page with their legend: one on Mesh, Run and Results, one for each variant on Compare.

import { FieldView } from "./field.js";
import { Legend } from "./legend.js";
import { pretty, rounded } from "./numbers.js";

export const memory = (key) => {
  try { return JSON.parse(sessionStorage.getItem(key)); } catch { return null; }
};
export const remember = (key, value) => sessionStorage.setItem(key, JSON.stringify(value));

/** A quantity with its unit; one with several units gets the one that suits what is shown, whose largest value `reach` tells. */
export function optionOf(option, reach) {
  const { words, unit = "", factor = "1", shift = "0", signed, ladder, madeOf = "" } = option.dataset;
  if (!ladder) return { words, unit, factor: Number(factor), shift: Number(shift), signed, derived: madeOf };
  const size = 0.3 * reach(), units = JSON.parse(ladder);
  const [name, times, more] = units.findLast(([, t]) => size * t >= 1) ?? units[0];
  return { words, unit: name, factor: times, shift: more, signed, derived: madeOf };
}

export class Pictures {
  constructor(root, canvases) {
    Object.assign(this, { root, canvases, page: document.body.dataset.page, held: null, onPick: null, onDrawn: null });
    this.strip = root.querySelector("#strip");
    this.choice = root.querySelector("#quantity");
    this.lines = root.querySelector("#lines");
    this.cameraKey = `camera ${canvases[0].dataset.view}`;
    this.choiceKey = `quantity ${this.page}`;
    this.views = canvases.map((canvas) => new FieldView(canvas, {
      onMove: (...a) => this.say(...a), onView: (view) => this.link(view), onPick: (view, place, event) => this.onPick?.(view, place, event),
    }));
    this.legend = new Legend(root.querySelector("#legend"), (range) => {
      this.held = [...range];
      this.colour(range);
    });
  }

  /** The chosen quantity with its unit. */
  get option() { return optionOf(this.choice.selectedOptions[0], () => Math.max(0, ...this.there.map((v) => (v.values ? this.reach(v) : 0)))); }

  /** The views that have something to show. */
  get there() { return this.views.filter((view) => !view.missing); }

  reach(view) {
    if (view.reached?.values !== view.values) {
      let most = 0;
      for (const v of view.values) if (Math.abs(v) > most) most = Math.abs(v);
      view.reached = { values: view.values, most };
    }
    return view.reached.most;
  }

  async open() {
    await Promise.all(this.views.map((view) => view.open()));
    const before = memory(this.choiceKey);
    if (before !== null && [...this.choice.options].some((o) => o.value === before)) this.choice.value = before;
    const camera = memory(this.cameraKey);
    if (camera) for (const view of this.views) view.camera = camera;
    await this.show();
    this.choice.addEventListener("change", () => { this.held = null; remember(this.choiceKey, this.choice.value); this.show(); });
    this.lines?.addEventListener("change", () => this.draw());
    this.root.querySelector("#fit")?.addEventListener("click", () => this.fit());
    this.root.querySelector("#reset-range")?.addEventListener("click", () => { this.held = null; this.show(); });
    for (const [id, kind] of [["picture", "png"], ["picture-svg", "svg"]]) this.root.querySelector(`#${id}`)?.addEventListener("click", () => savePicture(this.views[0], this.legend, kind));
    const watch = new ResizeObserver(() => {
      if (!this.root.isConnected) { watch.disconnect(); return; }
      for (const view of this.there) { const camera = view.camera; view.resize(); view.camera = camera; view.later(); }
    });
    watch.observe(this.root);
  }

  /** Loads and draws the chosen quantity. */
  async show() {
    const quantity = this.choice.value;
    this.problem("");
    try {
      await Promise.all(this.there.map((view) => view.show(quantity, this.choice.selectedOptions[0].dataset.madeOf ?? "", this.addressFor?.(view, quantity) ?? null)));
    } catch (error) {
      if (!this.canvases[0].dataset.live) this.problem(error.message); // a live one is about to be replaced
      return;
    }
    if (this.choice.value !== quantity) return;
    if (!quantity) this.legend.clear();
    else this.legendOf(this.there);
    this.draw();
    this.root.dataset.drawn = quantity || "mesh";
    this.onDrawn?.();
  }

  legendOf(views) {
    const option = this.option, map = option.signed || this.signed ? "signed" : "even";
    const words = this.words?.(option.words) ?? option.words;
    this.legend.set(views.map((view) => view.samples()), { ...option, words, map }, this.held);
    for (const view of this.views) { view.range = this.legend.range; view.map = map; }
  }

  colour(range) { for (const view of this.there) { view.range = range; if (view.layer?.heavy) view.later(); else view.draw(); } }

  draw() { for (const view of this.there) { view.showLines = this.lines ? this.lines.checked : this.canvases[0].dataset.lines === "1"; view.draw(); } }

  fit() {
    sessionStorage.removeItem(this.cameraKey);
    for (const view of this.there) { view.fit(); view.draw(); }
  }

  link(moved) {
    remember(this.cameraKey, moved.camera);
    for (const view of this.views) if (view !== moved && view.mesh) { view.camera = moved.camera; view.move(); }
  }

  look(camera) {
    remember(this.cameraKey, camera);
    for (const view of this.there) { view.camera = camera; view.draw(); }
  }

  say(view, at, value) {
    if (!this.strip) return;
    if (!at) { this.strip.textContent = "\u00a0"; return; }
    const { words, unit, factor, shift } = this.option;
    const [first, second] = view.canvas.dataset.axes ?? "xy";
    const where = `${first} ${(at[0] * 1000).toFixed(1)} mm, ${second} ${(at[1] * 1000).toFixed(1)} mm`;
    const what = value === null ? "outside" : value === undefined ? "" : Number.isNaN(value) ? "no fluid in the other" : `${words} ${rounded(value * factor + shift)} ${pretty(unit)}`;
    const who = this.views.length > 1 ? `${view.canvas.closest("figure").querySelector("a").textContent} · ` : "";
    this.strip.textContent = `${who}${where}${what ? ` · ${what}` : ""}`;
  }

  problem(text) {
    let note = this.root.querySelector(".picture-problem");
    if (!note && text) { note = Object.assign(document.createElement("p"), { className: "note bad picture-problem" }); note.setAttribute("role", "alert"); this.canvases[0].closest(".paper").before(note); }
    if (note) { note.textContent = text && `The picture cannot be shown: ${text}`; note.hidden = !text; }
  }
}

let live = null;

/** A newer picture of the run that this page watches. */
export function newPicture(at) { live?.(at); }

/** Opens the pictures of a page; gives them back, or null when it has none. */
export async function openViews(root) {
  live = null;
  const canvases = [...root.querySelectorAll("canvas.field")];
  if (!canvases.length) return null;
  const pictures = new Pictures(root, canvases);
  try { await pictures.open(); } catch (error) {
    for (const canvas of canvases) canvas.replaceWith(Object.assign(document.createElement("p"), { className: "empty", textContent: `The picture cannot be shown: ${error.message}` }));
    return null;
  }
  if (canvases[0].dataset.live) {
    let busy = false;
    live = async (at) => {
      if (busy || !root.isConnected) return;
      busy = true;
      canvases[0].dataset.at = at;
      await pictures.show();
      root.querySelector("#picture-at").textContent = `${root.querySelector("#picture-at").textContent.includes("step") ? "at step" : "at iteration"} ${at}`;
      busy = false;
    };
  }
  return pictures;
}

/** The view with its legend as a file: a PNG, or an SVG that holds the field as a picture and the legend as vectors. */
async function savePicture(view, legend, kind) {
  view.draw();
  const ratio = view.ratio, { width, height } = view.canvas;
  const svg = legend.holder.querySelector("svg");
  const tall = svg ? 90 * ratio : 0;
  const copy = svg?.cloneNode(true);
  if (copy) for (const [key, value] of [["xmlns", "http://www.w3.org/2000/svg"], ["width", 720 * ratio], ["height", 78 * ratio], ["font-family", "sans-serif"], ["font-size", "12"], ["x", 8 * ratio], ["y", height + 6 * ratio]]) copy.setAttribute(key, value);
  const name = `${view.canvas.dataset.name}${view.quantity ? `-${view.quantity}` : ""}`;
  if (kind === "svg") {
    const parts = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height + tall}" width="${width / ratio}" height="${(height + tall) / ratio}"><rect width="100%" height="100%" fill="#fff"/><image width="${width}" height="${height}" href="${view.canvas.toDataURL("image/png")}"/>${copy ? new XMLSerializer().serializeToString(copy) : ""}</svg>`;
    const address = URL.createObjectURL(new Blob([parts], { type: "image/svg+xml" }));
    download(address, `${name}.svg`);
    setTimeout(() => URL.revokeObjectURL(address), 10000);
    return;
  }
  const sheet = Object.assign(document.createElement("canvas"), { width, height: height + tall });
  const pen = sheet.getContext("2d");
  pen.fillStyle = "#fff";
  pen.fillRect(0, 0, sheet.width, sheet.height);
  pen.drawImage(view.canvas, 0, 0);
  if (copy) {
    copy.setAttribute("x", 0);
    copy.setAttribute("y", 0);
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(new XMLSerializer().serializeToString(copy))}`;
    await image.decode();
    pen.drawImage(image, 8 * ratio, height + 6 * ratio);
  }
  download(sheet.toDataURL("image/png"), `${name}.png`);
}

function download(address, name) {
  const link = Object.assign(document.createElement("a"), { download: name, href: address });
  document.body.append(link);
  link.click();
  link.remove();
}
