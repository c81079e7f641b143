// Live curves of a run: residuals, and one plot for each monitor; all show the same iterations.

import { pretty, rounded } from "./numbers.js";
import { Plot, lateRange } from "./plot.js";

const plain = (v) => String(Number(v.toPrecision(4)));

const RIVER = "#0f6e74", RUST = "#b4532a", INK = "#566069", OCHRE = "#c8962e";
const EQUATIONS = { momentum: RIVER, mass: RUST, heat: OCHRE };
const FURTHER = ["#5b6f3a", "#7a5c86", "#3f6b9c", "#8a4a55"];

const colourOf = (name, k) => EQUATIONS[name] ?? FURTHER[k % FURTHER.length];

export class Curves {
  constructor(root) {
    this.root = root;
    this.variant = root.dataset.variant;
    this.monitors = JSON.parse(root.dataset.monitors);
    this.history = { residuals: {}, seconds: [], time: [], monitors: {} };
    this.marks = [];
    for (const name of ["limit", "window", "change", "duration"]) this[name] = Number(root.dataset[name]);
    this.plots = {};
    this.listen();
  }

  async open() {
    const answer = await fetch(this.root.dataset.history);
    const history = await answer.json();
    this.take(history, history.forecast);
  }

  /** Takes in new iterations from `start` on. */
  take(fresh, forecast) {
    if (fresh.start > this.count) { this.open(); return; } // something was missed
    const put = (list, values) => { list.length = Math.min(list.length, fresh.start); for (const v of values) list.push(v); };
    for (const kind of ["residuals", "monitors"]) {
      for (const [name, values] of Object.entries(fresh[kind])) put((this.history[kind][name] ??= Array(fresh.start).fill(null)), values);
    }
    for (const name of ["seconds", "time"]) put(this.history[name], fresh[name]);
    this.marks = fresh.marks ?? [];
    this.draw();
    this.tell(forecast);
  }

  get count() { return this.history.seconds.length; }

  get inTime() { return this.history.time.length === this.count && this.count > 0; }

  /** What stands along the curves: the time in s of each step, or the number of each iteration. */
  get places() { return this.inTime ? this.history.time : Array.from({ length: this.count }, (_, i) => i + 1); }

  draw() {
    if (this.count < 2) return;
    const iterations = this.places;
    const marks = () => this.marks.map(([at, text]) => ({ x: this.inTime ? this.history.time[Math.min(at, this.count - 1)] : at, text }));
    const shared = { height: 150, sync: "run", marks, onCursor: (i) => this.say(i), onZoom: (x) => this.zoomAll(x) };
    const equations = Object.keys(this.history.residuals);
    if (this.drawn !== equations.join()) {
      this.drawn = equations.join();
      this.plots.residuals?.close();
      this.plots.residuals = this.plot("residuals", [
        ...equations.map((name, k) => ({ label: name, colour: colourOf(name, k) })),
        { label: "limit", colour: INK, dash: [5, 4], width: 1 },
      ], { ...shared, log: true, range: (columns) => this.residualRange(columns) });
      this.tellColours(equations);
    }
    this.plots.residuals?.set([iterations, ...equations.map((name) => this.history.residuals[name]), iterations.map(() => this.limit)]);
    for (const monitor of this.monitors) {
      const values = (this.history.monitors[monitor.name] ?? []).map((v) => (v == null ? null : v * monitor.factor + monitor.shift));
      this.plots[monitor.name] ??= this.plot(`monitor-${monitor.name}`, [{ label: monitor.title, colour: RIVER }], {
        ...shared, range: lateRange, bands: () => this.still(monitor),
      });
      this.plots[monitor.name]?.set([iterations, values]);
    }
    this.say(null);
  }

  plot(id, series, options) {
    const holder = this.root.querySelector(`#${id}`);
    return holder ? new Plot(holder, series, options) : undefined;
  }

  residualRange(columns) {
    let low = this.limit || 1, high = 0;
    for (const values of columns.slice(0, -1)) for (const v of values) if (v > 0) { low = Math.min(low, v); high = Math.max(high, v); }
    return [low / 2, Math.min(Math.max(high, 1), 10)];
  }

  /** The band of a monitor that has stood still over its window. */
  still(monitor) {
    const last = (this.history.monitors[monitor.name] ?? []).slice(-this.window);
    if (this.inTime || last.length < this.window || last.some((v) => v == null)) return [];
    const low = Math.min(...last), high = Math.max(...last), size = Math.abs(last.reduce((a, b) => a + b, 0) / last.length);
    if (high - low > this.change * size) return [];
    const middle = (low + high) / 2, half = (this.change * size) / 2;
    return [{ x0: this.count - this.window + 1, x1: this.count, y0: (middle - half) * monitor.factor + monitor.shift, y1: (middle + half) * monitor.factor + monitor.shift }];
  }

  /** The values under the pointer, or the last ones. */
  say(index) {
    const at = index ?? this.count - 1;
    const where = this.root.querySelector("#cursor-at");
    if (where) where.textContent = index == null || !this.count ? "" : `${this.inTime ? `step ${at + 1}, ${plain(this.history.time[at])} s` : `iteration ${at + 1}`}: ${this.left(at)}`;
    for (const monitor of this.monitors) {
      const now = this.root.querySelector(`#now-${monitor.name}`), value = this.history.monitors[monitor.name]?.[at];
      if (now) now.textContent = value == null ? "" : `${rounded(value * monitor.factor + monitor.shift, 4)} ${pretty(monitor.unit)}`;
    }
  }

  /** Which curve is of which equation. */
  tellColours(equations) {
    const key = this.root.querySelector("#residual-key");
    key?.replaceChildren(...equations.map((name, k) => {
      const word = document.createElement("span");
      word.textContent = `${k ? ", " : ""}${name}`;
      word.style.color = colourOf(name, k);
      return word;
    }));
  }

  /** What is left of each equation. */
  left(at) {
    return Object.entries(this.history.residuals).filter(([, values]) => values[at] != null)
      .map(([name, values]) => `${name} ${values[at].toExponential(1)}`).join(", ");
  }

  /** Pace, and when it will likely end. */
  tell(forecast) {
    const { seconds } = this.history, count = this.count;
    const pace = document.getElementById("pace"), ahead = document.getElementById("forecast");
    if (!pace || count < 2) return;
    const back = Math.min(count - 1, 30), each = (seconds[count - 1] - seconds[count - 1 - back]) / back;
    pace.textContent = `${(1000 * each).toFixed(0)} ms ${this.inTime ? "a step" : "an iteration"}, ${seconds[count - 1].toFixed(0)} s so far`;
    if (ahead && this.inTime) {
      const { time } = this.history, now = time[count - 1], pacing = (now - time[count - 1 - back]) / back, left = this.duration - now;
      ahead.textContent = `At ${plain(now)} s of ${plain(this.duration)} s; about ${this.time((left / pacing) * each)} to go.`;
      return;
    }
    if (!ahead || !forecast || forecast.waits_for === undefined) return;
    const left = forecast.iterations;
    const title = this.monitors.find((m) => forecast.waits_for === `monitor ${m.name}`)?.title;
    const waits = title ? `“${title}” to stand still` : forecast.waits_for;
    ahead.textContent = left == null ? `The end cannot be seen yet; it waits for ${waits || "the residuals"}.`
      : forecast.waits_for === "the limit of iterations" ? `Will stop at the limit of iterations in ${this.time(left * each)}, before it converges.`
      : `About ${left} more iterations, ${this.time(left * each)}${waits ? `; it waits for ${waits}` : ""}.`;
  }

  time(seconds) { return seconds < 90 ? `${Math.max(1, Math.round(seconds))} s` : seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${(seconds / 3600).toFixed(1)} h`; }

  // -- the bar that all plots share ---------------------------------------------------------

  zoomAll(x) {
    for (const plot of Object.values(this.plots)) plot?.zoom(x, x ? plot.own.y : null, true);
    const [from, to] = [this.root.querySelector("#from"), this.root.querySelector("#to")];
    const shown = (v) => (this.inTime ? Number(v.toPrecision(4)) : Math.round(v));
    from.value = x ? shown(x[0]) : "";
    to.value = x ? shown(x[1]) : "";
  }

  listen() {
    const [from, to, smooth, whole] = ["from", "to", "smooth", "whole"].map((id) => this.root.querySelector(`#${id}`));
    if (!from) return;
    const range = () => this.zoomAll(from.value || to.value ? [Number(from.value) || (this.inTime ? 0 : 1), Number(to.value) || (this.inTime ? this.history.time.at(-1) : this.count)] : null);
    from.addEventListener("change", range);
    to.addEventListener("change", range);
    whole.addEventListener("click", () => { for (const plot of Object.values(this.plots)) plot?.zoom(null, null, true); this.zoomAll(null); });
    smooth.addEventListener("change", () => { for (const plot of Object.values(this.plots)) plot?.setSmooth(Number(smooth.value)); });
    for (const figure of this.root.querySelectorAll("figure.plot")) figure.querySelector("figcaption").append(this.rangeControls(figure));
  }

  /** Own range and log or linear for one plot. */
  rangeControls(figure) {
    const name = figure.dataset.plot.replace(/^monitor-/, "");
    const holder = document.createElement("details");
    holder.className = "plot-range";
    const title = figure.querySelector("figcaption span").firstChild.textContent;
    const field = (label) => Object.assign(document.createElement("input"), { className: "v boxed", size: 6, ariaLabel: `${label} end of ${title}` });
    const low = field("Lower"), high = field("Upper"), log = Object.assign(document.createElement("input"), { type: "checkbox", checked: name === "residuals" });
    const label = document.createElement("label");
    label.append(log, " logarithmic");
    holder.append(Object.assign(document.createElement("summary"), { textContent: "range" }), "from ", low, " to ", high, " ", label);
    const apply = () => { const p = this.plots[name]; p?.zoom(p.own.x, low.value !== "" && high.value !== "" ? [Number(low.value), Number(high.value)] : null); };
    low.addEventListener("change", apply);
    high.addEventListener("change", apply);
    log.addEventListener("change", () => this.plots[name]?.setLog(log.checked));
    return holder;
  }
}
