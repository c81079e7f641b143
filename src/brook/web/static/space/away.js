// How far a surface lies from another one, as colour: the wrap from what it wraps, or the other way round.

import { Coloured } from "./coloured.js";
import { length } from "./words.js";

const KEY = "away";

/** The largest value, and that under which a share of the area has its values; `samples` are {value, weight}. */
export function within({ value, weight }, share) {
  const order = [...value.keys()].sort((a, b) => value[a] - value[b]), total = weight.reduce((sum, w) => sum + w, 0);
  let sum = 0;
  for (const k of order) { sum += weight[k]; if (sum >= share * total) return value[k]; }
  return value[order.at(-1)] ?? 0;
}

export class Away {
  /** `legend` shows what the colours mean; `tell` gets a sentence. */
  constructor(view, legend, tell) { Object.assign(this, { view, legend, tell, version: 0 }); }

  get shown() { return Boolean(this.view.shape?.layers.has(KEY)); }

  /** Fetches the distances of the shape's points in m, and lays them over it. */
  async show(address, words) {
    const { shape } = this.view, answer = await fetch(address, { headers: { Accept: "application/json" } });
    if (!answer.ok) { this.tell((await answer.json().catch(() => null))?.detail ?? "the server gave no answer; load the page again"); return false; }
    const values = new Float32Array(await answer.arrayBuffer());
    if (shape !== this.view.shape || values.length !== shape.points.length / 3) return false; // another shape is shown by now
    const layer = new Coloured({ points: shape.points, triangles: shape.triangles, values, lit: true, clipped: true, nearer: 1e-4 });
    layer.hit = () => null; // the shape below it is what is picked
    shape.layers.set(KEY, layer);
    const most = values.reduce((a, b) => Math.max(a, b), 0), [unit, factor] = most < 1e-3 ? ["µm", 1e6] : most < 1 ? ["mm", 1e3] : ["m", 1];
    const near = within(layer.samples(), 0.99); // colours show how most of it lies, not its one farthest place alone
    this.legend.set([layer.samples()], { words, unit, factor, map: "even" }, [0, Math.max(near, most / 20)]);
    this.colour();
    const rest = near < 1e-3 * most ? "right on it" : `within ${length(Number(near.toPrecision(2)))}`;
    this.tell(`At most ${length(Number(most.toPrecision(3)))} away, 99 % of its area ${rest}`);
    return true;
  }

  colour() {
    if (!this.shown) return;
    this.view.shape.colours = { ...this.legend.colours, version: ++this.version };
    this.view.later();
  }

  hide() {
    this.view.shape?.layers.delete(KEY);
    this.legend.clear();
    this.tell("");
    this.view.later();
  }

  /** The distance at a hit, in words; nothing while none is shown. */
  at(hit) {
    if (!this.shown) return "";
    const { shape } = this.view, { values } = shape.layers.get(KEY);
    const corners = [0, 1, 2].map((i) => values[shape.triangles[3 * hit.triangle + i]]);
    return ` · ${length(Number(((corners[0] + corners[1] + corners[2]) / 3).toPrecision(3)))} away`;
  }
}
