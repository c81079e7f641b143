// One picture in space of every variant, side by side: one camera, one colour range, one cut for all.

import { Legend } from "../legend.js";
import { pretty, rounded } from "../numbers.js";
import { SpaceView } from "../space/view.js";
import { place } from "../space/words.js";
import { Moments } from "../moments.js";
import { optionOf } from "../views.js";
import { atOf, boxAlong, gripOf, millimetres, normalOf } from "./places.js";
import { fill, levelWords, lookAt, lookOf, missingOf, samplesOf, shapeOf } from "./scene.js";

export class SceneGrid {
  static async open(root) {
    const grid = new SceneGrid(root);
    await grid.begin();
    return grid;
  }

  constructor(root) {
    this.root = root;
    this.plate = JSON.parse(root.querySelector("#plate-shown").dataset.plate);
    Object.assign(this, { layers: this.plate.layers, held: this.plate.range, version: 0 });
    this.choice = root.querySelector("#quantity");
    if ([...this.choice.options].some((o) => o.value === this.plate.quantity)) this.choice.value = this.plate.quantity;
    this.legend = new Legend(root.querySelector("#legend"), (range) => { this.held = [...range]; this.colour(); });
    this.strip = root.querySelector("#strip");
    this.sides = [...root.querySelectorAll(".scene-view")].map((holder) => {
      const side = { holder, name: holder.dataset.readout.split("/").at(-1), source: { readout: holder.dataset.readout, run: holder.dataset.run }, says: holder.closest("figure").querySelector(".plate-says") };
      side.view = new SpaceView(holder, { move: (hit) => this.say(side, hit), view: () => this.link(side) });
      side.view.given = true;
      return side;
    });
    const moments = root.querySelector("#moments") ? new Moments(root.querySelector("#moments"), (moment) => { for (const side of this.sides) side.source.moment = moment; return this.show(); }, () => { this.held ??= this.legend.map ? [...this.legend.colours.range] : null; }) : null;
    this.play = moments ? () => moments.press() : null;
    this.choice.onchange = () => { this.held = null; this.show(); };
    root.querySelector("#reset-range").onclick = () => { this.held = null; this.show(); };
    root.querySelector("#fit").onclick = () => this.there[0]?.view.fit();
  }

  get there() { return this.sides.filter((side) => side.shape); }

  async begin() {
    await Promise.all(this.sides.map(async (side) => {
      try {
        side.shape = await shapeOf(side.source);
        side.view.put(side.shape);
        side.view.showNames(false);
        side.view.resize();
      } catch (error) { side.says.textContent = `Cannot be shown: ${error.message}.`; }
    }));
    const [first] = this.there;
    if (!first) return;
    if (this.plate.look) lookAt(first.view, this.plate.look); else first.view.fit();
    this.link(first);
    await this.show();
  }

  /** All look where one looks. */
  link(moved) {
    if (this.linking || !moved.shape) return;
    this.linking = true;
    const look = lookOf(moved.view);
    for (const side of this.there) if (side !== moved) lookAt(side.view, look);
    this.linking = false;
  }

  async show() {
    this.wanted = true;
    if (this.busy) return;
    this.busy = true;
    while (this.wanted) {
      this.wanted = false;
      const { value, selectedOptions: [{ dataset }] } = this.choice;
      const puts = await Promise.all(this.there.map((side) => fill(side.shape, this.lessOf(side), side.name === this.plate.less ? this.layers.map((layer) => ({ ...layer, plain: true, by_time: false, levels: 0 })) : this.layers, { quantity: value, madeOf: dataset.madeOf })));
      this.there.forEach((side, k) => {
        const told = puts[k](), wrong = told.filter((one) => one.error), notes = told.flatMap((one) => one.words ?? []).filter((words) => words !== "nowhere");
        const nowhere = told.filter((one) => one.words?.includes("nowhere")).map(() => "this value is nowhere");
        const itself = !this.plate.less ? [] : side.name === this.plate.less ? ["the others are less this one"] : this.lessOf(side).less ? [] : [`${this.plate.less} has no result to take away; the quantity itself is shown`];
        side.says.textContent = [...itself, ...wrong.map((one) => one.error), ...nowhere, ...notes].join("; ") || "\u00a0";
        side.says.classList.toggle("why", wrong.length > 0);
      });
      this.legendOf();
      this.grip();
      this.holes();
      this.root.dataset.drawn = `scene ${(this.version += 1)}`;
    }
    this.busy = false;
  }

  /** The source of a side, less the variant that the plate takes away. */
  lessOf(side) {
    const other = this.sides.find((one) => one.name === this.plate.less);
    return other && other !== side ? { ...side.source, less: { name: other.name, run: other.source.run } } : side.source;
  }

  /** Says where the first variant has fluid on a cut and another has none: a solid there is not to be taken for a hole in the picture. */
  async holes() {
    const turn = (this.turn = (this.turn ?? 0) + 1), cut = this.layers.find((layer) => layer.kind === "cut"), [first, ...rest] = this.there;
    if (!cut || !first) return;
    await Promise.all(rest.filter((side) => !side.says.classList.contains("why")).map(async (side) => { // a cut that misses has said so
      try {
        const missing = await missingOf(first.source, side, { kind: "cut", through: cut.through, across: cut.across }, this.choice.value);
        if (turn === this.turn && missing > 5e-4) side.says.textContent = [side.says.textContent.trim(), `${rounded(100 * missing, 2)} % of what ${titleOf(first)} has on this cut is no fluid here`].filter(Boolean).join("; ");
      } catch { /* the pictures themselves have said what is wrong */ }
    }));
  }

  legendOf() {
    const samples = this.there.flatMap((side) => samplesOf(side.shape));
    this.option = optionOf(this.choice.selectedOptions[0], () => Math.max(0, ...samples.map((s) => Math.max(Math.abs(s.low), Math.abs(s.high)))));
    const away = this.sides.find((side) => side.name === this.plate.less);
    if (away) this.option = { ...this.option, words: `${this.option.words}, less ${titleOf(away)}`, signed: true, ...(this.option.shift ? { unit: "K", shift: 0 } : {}) };
    if (samples.length) this.legend.set(samples, { ...this.option, map: this.option.signed ? "signed" : "even", how: this.plate.colours }, this.held);
    else this.legend.clear();
    this.colour();
  }

  colour() {
    this.coloured = (this.coloured ?? 0) + 1;
    for (const { shape, view } of this.there) {
      shape.colours = { ...(this.legend.map ? this.legend.colours : { map: "even", range: [0, 1] }), version: this.coloured };
      const notes = [...shape.layers.values()].flatMap((layer) => layer.labels ?? []);
      view.marks.setNotes(notes.map(({ at, value }) => ({ at, words: levelWords(value, this.option) })));
      view.moved();
    }
  }

  /** The first cut is dragged in any picture, and moves in all. */
  grip() {
    const k = this.layers.findIndex((layer) => layer.kind === "cut");
    for (const { view, shape } of this.there) {
      if (k < 0) { view.setGrip(null); continue; }
      const cut = this.layers[k], n = normalOf(cut), Vector = view.camera.target.constructor;
      view.setGrip({ at: new Vector(...gripOf(cut, shape.layers.get(`${k}`), shape)), along: new Vector(...n), move: (by) => {
        const now = this.layers[k], [low, high] = boxAlong(shape, n), at = Math.min(high, Math.max(low, atOf(now) + by));
        this.layers = this.layers.map((layer, i) => (i === k ? { ...now, through: now.through.map((v, j) => v + (at - atOf(now)) * n[j]) } : layer));
        this.strip.textContent = `all cut at ${millimetres(at)}`;
        this.show();
      } });
    }
  }

  say(side, hit) {
    if (!hit) { this.strip.textContent = "\u00a0"; return; }
    const { words, unit, factor, shift } = this.option, who = titleOf(side);
    const what = hit.layer === undefined ? side.shape.data.patches[hit.patch].name : hit.value === undefined ? "" : `${words} ${rounded(hit.value * factor + shift)} ${pretty(unit)}`;
    this.strip.textContent = `${who} · ${place(side.view.inMetres(hit.at))}${what ? ` · ${what}` : ""}`;
  }

  close() { for (const { view } of this.sides) view.close(); }

  key(event) {
    const looks = { x: "x", y: "y", z: "z", X: "-x", Y: "-y", Z: "-z", o: "o" }, [first] = this.there;
    if (!looks[event.key] || !first) return false;
    first.view.look(looks[event.key]);
    return true;
  }
}

const titleOf = (side) => side.holder.closest("figure").querySelector("a").textContent;
