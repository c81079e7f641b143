// A plate in space of a run that is under way, drawn anew with each of its pictures.

import { Legend } from "../legend.js";
import { SpaceView } from "../space/view.js";
import { unpack } from "../space/coloured.js";
import { memory, optionOf, remember } from "../views.js";
import { lookAt, putLayers, samplesOf, shapeOf } from "./scene.js";

export class LivePlate {
  /** Shows one flat cut or a plate, as was chosen last; null where a run has no plates. */
  static of(root, pictures) {
    const choice = root.querySelector("#live-plate"), canvas = root.querySelector("canvas.field[data-live]");
    return choice && canvas ? new LivePlate(root, choice, canvas, pictures) : null;
  }

  constructor(root, choice, canvas, pictures) {
    Object.assign(this, { root, choice, canvas, pictures, holder: root.querySelector("#live-view"), says: root.querySelector("#live-says"), quantity: root.querySelector("#quantity") });
    const before = memory("live plate");
    if (!choice.value && [...choice.options].some((o) => o.value === before)) choice.value = before; // what was chosen while this loaded stays
    root.querySelector("#fit").addEventListener("click", () => { if (this.plate) this.view.fit(); });
    root.querySelector("#reset-range").addEventListener("click", () => { if (this.plate) { this.held = null; this.show(this.canvas.dataset.at); } });
    choice.onchange = () => { remember("live plate", choice.value); this.turn(); };
    this.turn();
  }

  async turn() {
    const { plate } = this.choice.selectedOptions[0].dataset;
    this.plate = plate ? JSON.parse(plate) : null;
    this.holder.hidden = !plate;
    this.canvas.hidden = Boolean(plate);
    this.quantity.disabled = Boolean(plate); // a plate has its own
    this.holder.closest(".paper").classList.toggle("live-in-space", Boolean(plate));
    if (!plate) { this.says.textContent = ""; await this.pictures?.show(); return; }
    const { mesh } = this.canvas.dataset;
    this.view ??= new SpaceView(this.holder, {});
    this.view.given = true;
    try { this.shape ??= await shapeOf({ boundary: `${mesh}/boundary.bin` }); } catch (error) { this.says.textContent = `This cannot be shown: ${error.message}.`; return; }
    this.legend = new Legend(this.root.querySelector("#legend"), (range) => { this.held = [...range]; this.colour(); });
    this.held = this.plate.range;
    this.view.put(this.shape);
    this.view.showNames(false);
    this.view.resize();
    if (this.plate.look) lookAt(this.view, this.plate.look); else this.view.fit();
    await this.show(this.canvas.dataset.at);
  }

  close() { this.view?.close(); }

  /** Draws the picture of an iteration. */
  async show(at) {
    const { plate } = this;
    if (!plate || !this.shape) return;
    const told = await Promise.all(plate.layers.map(async (_, k) => {
      try { return await unpack(`${this.canvas.dataset.values}/plate/${plate.name}/${k}.bin?at=${at}`); } catch (error) { return { error: error.message }; }
    }));
    if (plate !== this.plate) return;
    putLayers(this.shape, plate.layers, told);
    const words = told.flatMap((one) => (one.error ? [one.error] : one.words)).map((one) => (one === "nowhere" ? "this value is nowhere yet" : one));
    this.says.textContent = [...new Set(words)].join("; ");
    const option = [...this.quantity.options].find((o) => o.value === plate.quantity), samples = samplesOf(this.shape);
    if (option && samples.length) {
      const shown = optionOf(option, () => Math.max(0, ...samples.map((s) => Math.max(Math.abs(s.low), Math.abs(s.high)))));
      this.legend.set(samples, { ...shown, map: shown.signed ? "signed" : "even", how: plate.colours }, this.held);
    }
    this.colour();
    this.holder.dataset.at = at;
  }

  colour() {
    this.coloured = (this.coloured ?? 0) + 1;
    this.shape.colours = { ...(this.legend.map ? this.legend.colours : { map: "even", range: [0, 1] }), version: this.coloured };
    this.view.moved();
  }
}
