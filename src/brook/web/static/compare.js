// The Compare page: linked plates of all variants, and two variants in one picture (difference or blink).

import { streamlines } from "./overlay.js";
import { FieldView } from "./field.js";
import { Layer } from "./layer.js";
import { Legend } from "./legend.js";
import { Moments } from "./moments.js";
import { pretty, rounded } from "./numbers.js";

export class Plates {
  constructor(root, pictures) {
    Object.assign(this, { root, pictures });
    this.wish = root.querySelector("#streamlines-all");
    this.wish.addEventListener("change", () => this.lines());
    this.moments(root.querySelector("#moments"));
    const holder = root.querySelector("#plate-shown");
    if (holder) this.plate(JSON.parse(holder.dataset.plate));
  }

  /** The moments that all runs kept; streamlines are of the end. */
  moments(holder) {
    if (!holder) return;
    const { pictures } = this;
    const moments = new Moments(holder, async (number) => {
      for (const { canvas } of pictures.views) if (number) canvas.dataset.moment = number; else delete canvas.dataset.moment;
      this.early = Boolean(number);
      await Promise.all([pictures.show(), this.lines()]);
    }, () => { pictures.held ??= [...pictures.views[0].range]; }, "streamlines, curves and tables are of the end");
    this.play = () => moments.press();
    this.onlyEnd = () => moments.only("of earlier moments another cut is seen in plates in space");
  }

  /** Sets all views to a kept plate. */
  async plate(plate) {
    const { pictures } = this;
    if ([...pictures.choice.options].some((o) => o.value === plate.quantity)) pictures.choice.value = plate.quantity;
    pictures.held = plate.range;
    pictures.lines.checked = plate.mesh_lines;
    if (plate.cut) this.onlyEnd?.();
    if (plate.cut) await Promise.all(pictures.views.map((view) => cutAt(view, plate.cut)));
    if (plate.camera) pictures.look({ centre: [plate.camera.x, plate.camera.y], across: plate.camera.across });
    else if (plate.cut) for (const view of pictures.views) if (!view.missing) { view.resize(); view.fit(); }
    await pictures.show();
    this.wish.checked = plate.streamlines;
    if (plate.streamlines) this.lines();
  }

  async lines() {
    await Promise.all(this.pictures.views.map(async (view) => {
      view.overlays = [];
      if (this.wish.checked && !this.early) {
        const answer = await fetch(`${view.canvas.dataset.readout}/streamlines.json?run=${view.canvas.dataset.run}`);
        if (answer.ok) view.overlays = [streamlines(await answer.json())];
      }
      view.draw();
    }));
  }
}

/** Shows the same place of a result in space on a view; where it has none, that is said in its place. */
async function cutAt(view, { across, at }) {
  const { dataset } = view.canvas, from = `${dataset.readout}/cut/${dataset.run}/${across}/${at.toPrecision(9)}`;
  try {
    view.layer = await Layer.of(from);
    Object.assign(dataset, { cut: "1", mesh: from, values: from, axes: { x: "yz", y: "xz", z: "xy" }[across] });
  } catch (error) {
    view.missing = true;
    view.layer = null;
    view.canvas.hidden = true;
    view.canvas.after(Object.assign(document.createElement("p"), { className: "empty", textContent: `Nothing to show at ${across} = ${rounded(1000 * at)} mm: ${error.message}` }));
  }
}

export class Two {
  constructor(root, pictures) {
    Object.assign(this, { root, pictures, blinking: false });
    [this.a, this.b, this.how] = ["two-a", "two-b", "two-how"].map((id) => root.querySelector(`#${id}`));
    this.strip = root.querySelector("#two-strip");
    this.says = root.querySelector("#blink-says");
    this.view = new FieldView(root.querySelector("#two-field"), { onMove: (v, at, value) => this.say(at, value), onView: (v) => pictures.look(v.camera) });
    this.legend = new Legend(root.querySelector("#two-legend"), (range) => { this.view.range = range; if (this.view.layer?.heavy) this.view.later(); else this.view.draw(); });
    for (const choice of [this.a, this.b, this.how]) choice.addEventListener("change", () => this.show());
    const drawn = pictures.onDrawn;
    pictures.onDrawn = () => { drawn?.(); this.show(); };
    const look = pictures.link.bind(pictures);
    pictures.link = (moved) => { look(moved); if (this.view.layer) { this.view.camera = moved.camera; this.view.move(); } };
    this.show();
  }

  /** The layer and values of one side, or their difference. */
  async side(choice, less = null) {
    const { dataset } = choice.selectedOptions[0], quantity = this.pictures.choice.value, made = this.pictures.choice.selectedOptions[0].dataset.madeOf ?? "";
    const view = new FieldView(Object.assign(document.createElement("canvas"), {}), {});
    Object.assign(view.canvas.dataset, dataset);
    view.layer = await Layer.of(dataset.mesh);
    const address = less ? `${dataset.readout}/less/${less.value}/${quantity}.f32?run=${dataset.run}&other=${less.selectedOptions[0].dataset.run}&as=${encodeURIComponent(made)}` : null;
    await view.show(quantity, made, address);
    return view.take();
  }

  async show() {
    const turn = (this.turn = (this.turn ?? 0) + 1), less = this.how.value === "less";
    this.strip.textContent = less ? "the difference is being worked out …" : "the pictures are being read …";
    try {
      const sides = less ? [await this.side(this.a, this.b)] : await Promise.all([this.side(this.a), this.side(this.b)]);
      if (turn !== this.turn) return;
      this.sides = sides;
    } catch (error) { this.strip.textContent = `The picture cannot be shown: ${error.message}`; return; }
    Object.assign(this.view, this.sides[0]);
    this.view.resize();
    this.view.camera = this.pictures.views[0].camera;
    const option = this.option(less), map = less || option.signed ? "signed" : "even";
    const words = less ? `${option.words}, ${this.name(this.a)} less ${this.name(this.b)}` : option.words;
    this.legend.set(this.sides.map(({ layer, values }) => layer.samples(values)), { ...option, words, map });
    Object.assign(this.view, { range: this.legend.range, map });
    this.view.draw();
    this.strip.textContent = "\u00a0";
    this.root.dataset.two = `${this.how.value} ${this.a.value} ${this.b.value}`;
  }

  /** The quantity with its unit; a difference has one that begins at nothing. */
  option(less) {
    const { option } = this.pictures;
    return less && option.shift ? { ...option, unit: "K", shift: 0 } : option;
  }

  name(choice) { return choice.selectedOptions[0].textContent; }

  say(at, value) {
    if (!at) { this.strip.textContent = "\u00a0"; return; }
    const less = this.how.value === "less", { words, unit, factor, shift } = this.option(less);
    const what = value == null ? "outside" : Number.isNaN(value) ? "fluid in one of the two only" : `${less ? "difference of " : ""}${words} ${rounded(value * factor + shift)} ${pretty(unit)}`;
    this.strip.textContent = `x ${(at[0] * 1000).toFixed(1)} mm, y ${(at[1] * 1000).toFixed(1)} mm · ${what}`;
  }

  press() {
    if (this.how.value === "less") { this.how.value = "blink"; this.show().then(() => this.flip(true)); return; }
    this.flip(true);
  }

  flip(other) {
    if (!this.sides?.[1]) return;
    this.view.put(this.sides[other ? 1 : 0]);
    this.says.textContent = other ? this.name(this.b) : "";
    this.view.canvas.closest(".paper").classList.toggle("blinking", other);
  }

  release() { this.flip(false); }
}
