// The legend is a histogram: how much of the picture has which value. Two handles set the range.

import { colourAt } from "./colours.js";
import { pretty, rounded, roundTicks } from "./numbers.js";

const WIDTH = 720, HEIGHT = 78, LEFT = 16, RIGHT = 16, BASE = 46, TOP = 18, BINS = 72, BANDS = 9;
const element = (name, attributes = {}, text = "") => {
  const made = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  made.textContent = text;
  return made;
};

export class Legend {
  constructor(holder, onRange) {
    Object.assign(this, { holder, onRange });
  }

  /** `samples` are {value, weight} lists of every view; values in SI units, shown times `factor` plus `shift`. */
  set(samples, { words, unit, factor, shift = 0, map, how = "smooth" }, range = null) {
    let low = Math.min(...samples.map((s) => s.low)), high = Math.max(...samples.map((s) => s.high));
    if (!(high > low)) { const pad = Math.abs(low) * 0.01 || 1e-9; low -= pad; high += pad; }
    if (map === "signed") { const most = Math.max(Math.abs(low), Math.abs(high)); low = -most; high = most; }
    const wanted = how === "log" && map !== "signed"; // of what is shown round nothing there are no decades
    if (wanted && low <= 0 && high > 0) low = smallest(samples, high);
    const log = wanted && low > 0;
    Object.assign(this, { whole: [low, high], log, bands: how === "bands" ? BANDS : 0, why: how === "log" && !log ? " · no decades: it goes under nothing" : "" });
    const shares = new Float64Array(BINS);
    let total = 0;
    for (const s of samples) s.value.forEach((v, i) => {
      if (!s.weight[i]) return;
      shares[Math.min(BINS - 1, Math.max(0, Math.floor(this.share(v) * BINS)))] += s.weight[i];
      total += s.weight[i];
    });
    Object.assign(this, { range: range ?? [low, high], shares: shares.map((s) => s / total), words, unit, factor, shift, map });
    this.draw();
  }

  shown(value) { return value * this.factor + this.shift; }

  clear() { this.holder.replaceChildren(); }

  /** Where a value stands between the ends, from 0 to 1; and the value at such a share. */
  share(value) { return this.log ? Math.log(Math.max(value, 1e-300) / this.whole[0]) / Math.log(this.whole[1] / this.whole[0]) : (value - this.whole[0]) / (this.whole[1] - this.whole[0]); }
  valueAt(share) { return this.log ? this.whole[0] * (this.whole[1] / this.whole[0]) ** share : this.whole[0] + share * (this.whole[1] - this.whole[0]); }

  x(value) { return LEFT + this.share(value) * (WIDTH - LEFT - RIGHT); }

  /** How the colours go: their map and range, by decades or not, in how many bands. */
  get colours() { return { map: this.map, range: this.range, log: this.log, bands: this.bands }; }

  draw() {
    const [low, high] = this.whole, most = Math.max(...this.shares), step = (WIDTH - LEFT - RIGHT) / BINS;
    const svg = element("svg", { viewBox: `0 0 ${WIDTH} ${HEIGHT}`, preserveAspectRatio: "xMinYMid meet", role: "group", "aria-label": `Legend of ${this.words}` });
    const hatch = element("pattern", { id: "out-of-range", width: 5, height: 5, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" });
    hatch.append(element("rect", { width: 2, height: 5, fill: "#fff" }));
    svg.append(hatch, element("text", { x: LEFT, y: 12, class: "title" }, `${this.words}${this.unit ? `, ${pretty(this.unit)}` : ""} · height: share of the picture${this.why}`));
    this.shares.forEach((share, i) => {
      const value = this.valueAt((i + 0.5) / BINS), [from, to] = this.range.map((v) => this.share(v));
      const at = (this.share(value) - from) / (to - from || 1), band = this.bands ? (Math.min(this.bands - 1, Math.max(0, Math.floor(at * this.bands))) + 0.5) / this.bands : at;
      const bar = 4 + (BASE - TOP - 4) * Math.sqrt(share / most);
      const box = { x: LEFT + i * step, y: BASE - (share ? bar : 3), width: step + 0.3, height: share ? bar : 3 };
      svg.append(element("rect", { ...box, fill: colourAt(this.map, band) }));
      if (at < 0 || at > 1) svg.append(element("rect", { ...box, fill: "url(#out-of-range)", opacity: 0.75 }));
    });
    for (const tick of this.log ? decades(this.shown(low), this.shown(high)) : roundTicks(this.shown(low), this.shown(high), 8)) {
      const x = this.x((tick.value - this.shift) / this.factor);
      svg.append(element("line", { x1: x, x2: x, y1: BASE, y2: BASE + 5, stroke: "#566069" }), element("text", { x, y: BASE + 28, "text-anchor": "middle" }, tick.text.replace("-", "−")));
    }
    this.range.forEach((value, side) => svg.append(this.handle(value, side)));
    this.holder.replaceChildren(svg);
  }

  handle(value, side) {
    const words = side ? "Upper end of the colour range" : "Lower end of the colour range";
    const made = element("g", {
      class: "handle", tabindex: 0, role: "slider", "aria-label": words, "aria-valuemin": this.shown(this.whole[0]), "aria-valuemax": this.shown(this.whole[1]),
      "aria-valuenow": this.shown(value), "aria-valuetext": `${rounded(this.shown(value))} ${this.unit}`, transform: `translate(${this.x(value)} ${BASE})`,
    });
    made.append(element("path", { d: "M0 0L-6 11H6Z" }), element("rect", { x: -10, y: -30, width: 20, height: 44, fill: "transparent" }));
    made.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      const move = (e) => this.move(side, this.valueOf(e));
      const end = () => { removeEventListener("pointermove", move); removeEventListener("pointerup", end); };
      addEventListener("pointermove", move);
      addEventListener("pointerup", end);
    });
    made.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -0.02, ArrowRight: 0.02, ArrowDown: -0.02, ArrowUp: 0.02 }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      this.move(side, this.valueAt(this.share(this.range[side]) + step));
      this.holder.querySelectorAll(".handle")[side].focus();
    });
    return made;
  }

  valueOf(event) {
    const box = this.holder.firstElementChild.getBoundingClientRect();
    const scale = Math.min(box.width / WIDTH, box.height / HEIGHT);
    const share = ((event.clientX - box.left) / scale - LEFT) / (WIDTH - LEFT - RIGHT);
    return this.valueAt(share);
  }

  move(side, value) {
    const gap = 0.01, one = this.range.map((v) => this.share(v));
    const [low, high] = side ? [this.valueAt(one[0] + gap), this.whole[1]] : [this.whole[0], this.valueAt(one[1] - gap)];
    this.range[side] = Math.min(high, Math.max(low, value));
    this.draw();
    this.onRange(this.range);
  }
}

/** The least value over nothing, but no further than so many decades under the largest. */
function smallest(samples, high) {
  let found = high;
  for (const s of samples) for (const v of s.value) if (v > 0 && v < found) found = v;
  return Math.min(Math.max(found, 1e-5 * high), 0.5 * high);
}

function decades(low, high) {
  const ticks = [], wide = Math.log10(high / low) > 3;
  for (let power = Math.floor(Math.log10(low)); power <= Math.log10(high); power++) for (const f of wide ? [1] : [1, 2, 5]) {
    const value = f * 10 ** power;
    if (value >= low && value <= high) ticks.push({ value, text: rounded(value, 1) });
  }
  return ticks;
}
