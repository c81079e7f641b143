// Motes that go along streamlines by a clock: the fluid's own, or a slower or quicker one.

import { Coloured } from "../space/coloured.js";

const EVERY = 5; // motes on a line of middle duration
const MOST = 1500;

export class Motes {
  constructor(page) {
    this.page = page;
    this.clock = page.root.querySelector("#motes");
    this.clock.onchange = () => this.follow();
  }

  /** Begins to move along the lines that are drawn, or stops. */
  follow() {
    cancelAnimationFrame(this.frame);
    const { shape } = this.page;
    this.flows = [...shape.layers.values()].map((layer) => layer.flow).filter(Boolean);
    this.clock.closest("label").hidden = !this.flows.length;
    if (!this.clock.value || !this.flows.length) { if (shape.layers.delete("motes")) this.page.view.later(); return; }
    const times = this.flows.flatMap(({ starts, seconds }) => Array.from({ length: starts.length - 1 }, (_, k) => seconds[starts[k + 1] - 1] - seconds[starts[k]])).sort((a, b) => a - b);
    this.apart = Math.max(times[times.length >> 1] / EVERY, times.reduce((sum, t) => sum + t, 0) / MOST) || 1;
    this.begun = performance.now();
    this.step();
  }

  step() {
    const { page } = this, { shape, view } = page;
    if (!page.holder.isConnected || !this.clock.value) return;
    const now = ((performance.now() - this.begun) / 1000) * Number(this.clock.value), places = [], tail = 0.12 * this.apart;
    for (const { at, starts, seconds } of this.flows) for (let line = 0; line + 1 < starts.length; line++) {
      const first = seconds[starts[line]], last = seconds[starts[line + 1] - 1];
      for (let t = first + (now % this.apart); t < last; t += this.apart) places.push(...along(at, seconds, starts[line], starts[line + 1], Math.max(first, t - tail)), ...along(at, seconds, starts[line], starts[line + 1], t));
    }
    shape.layers.set("motes", new Coloured({ points: new Float32Array(0), strokes: [{ points: Float32Array.from(places), values: null, colour: "#b4532a", width: 3.5 }] }));
    view.draw();
    this.frame = requestAnimationFrame(() => this.step());
  }
}

/** Where a line is at a time. */
function along(at, seconds, from, to, time) {
  let low = from, high = to - 1;
  while (high - low > 1) { const middle = (low + high) >> 1; if (seconds[middle] <= time) low = middle; else high = middle; }
  const share = Math.min(1, Math.max(0, (time - seconds[low]) / (seconds[high] - seconds[low] || 1)));
  return [0, 1, 2].map((i) => (1 - share) * at[3 * low + i] + share * at[3 * high + i]);
}
