// Live curves of a run: residuals and monitors.

import uPlot from "./vendor/uplot/uPlot.esm.js";
import { pretty, rounded } from "./numbers.js";

const INK = "#566069", GRID = { stroke: "#ebe7dc", width: 1 };
const decades = (u, ticks) => ticks.map((t) => (t && Math.abs(Math.log10(t) - Math.round(Math.log10(t))) < 1e-6 ? t : null));
const axis = (more) => ({ stroke: INK, grid: GRID, ticks: { stroke: "#dcd7cb" }, font: "11px Plex", ...more });

export class Curves {
  constructor(root) {
    this.root = root;
    this.variant = root.dataset.variant;
    this.monitors = JSON.parse(root.dataset.monitors);
    this.history = { momentum: [], mass: [], seconds: [], monitors: {} };
    this.limit = Number(root.dataset.limit);
  }

  async open() {
    const answer = await fetch(this.root.dataset.history);
    this.take(await answer.json());
  }

  /** Takes in new iterations from `start` on. */
  take(fresh) {
    if (fresh.start > this.history.momentum.length) { this.open(); return; } // something was missed
    const put = (list, values) => { list.length = Math.min(list.length, fresh.start); list.push(...values); };
    for (const name of ["momentum", "mass", "seconds"]) put(this.history[name], fresh[name]);
    for (const [name, values] of Object.entries(fresh.monitors)) put((this.history.monitors[name] ??= []), values);
    this.draw();
  }

  draw() {
    const count = this.history.momentum.length;
    const iterations = Array.from({ length: count }, (_, i) => i + 1);
    this.residuals ??= this.plot("residuals", 230, {
      scales: { x: { time: false }, y: { distr: 3, range: (u, low, high) => [Math.min(low ?? 1e-6, this.limit || 1) / 2, Math.min(Math.max(high ?? 1, 1), 10)] } },
      axes: [axis({ label: "iteration", labelSize: 18, labelFont: "11px Plex" }), axis({ size: 56, filter: decades, ticks: { show: false }, grid: { ...GRID, filter: decades }, values: (u, ticks) => ticks.map((t) => (t == null ? null : t === 1 ? "1" : t.toExponential(0).replace("e-", "e−").replace("e+", "e"))) })],
      series: [{ label: "iteration" }, this.series("momentum", "#0f6e74"), this.series("mass", "#b4532a"), { label: "limit", stroke: "#566069", dash: [5, 4], width: 1, value: (u, v) => (v ? v.toExponential(0) : "–") }],
    });
    const floor = (v) => Math.max(v, 1e-16);
    this.residuals.setData([iterations, this.history.momentum.map(floor), this.history.mass.map(floor), iterations.map(() => this.limit)]);
    this.plots ??= {};
    for (const monitor of this.monitors) {
      if (!this.root.querySelector(`#monitor-${monitor.name}`)) continue;
      const values = (this.history.monitors[monitor.name] ?? []).map((v) => v * monitor.factor);
      this.plots[monitor.name] ??= this.plot(`monitor-${monitor.name}`, 150, {
        scales: { x: { time: false }, y: { range: (u) => this.sensible(u.data[1]) } },
        axes: [axis({}), axis({ size: 52, space: 24, values: (u, ticks) => ticks.map((t) => (Math.abs(t) >= 1e5 ? t.toExponential(1) : String(Number(t.toPrecision(4))))) })],
        series: [{ label: "iteration" }, { ...this.series(pretty(monitor.unit), "#0f6e74"), value: (u, v) => (v == null ? "–" : `${rounded(v, 4)} ${pretty(monitor.unit)}`) }],
        legend: { show: false },
      });
      this.plots[monitor.name].setData([iterations, values]);
      this.root.querySelector(`#now-${monitor.name}`).textContent = count ? `${rounded(values[count - 1], 4)} ${pretty(monitor.unit)}` : "";
    }
    const pace = document.getElementById("pace");
    if (pace && count > 1) {
      const s = this.history.seconds, back = Math.min(count - 1, 30);
      pace.textContent = `${((1000 * (s[count - 1] - s[count - 1 - back])) / back).toFixed(0)} ms an iteration, ${s[count - 1].toFixed(0)} s so far`;
    }
  }

  /** The range of the second half of a curve with room, so that a start shock does not flatten it. */
  sensible(values) {
    if (!values?.length) return [0, 1];
    const late = values.slice(Math.floor(values.length / 2)).filter(Number.isFinite);
    let low = Math.min(...late), high = Math.max(...late);
    const room = Math.max(0.6 * (high - low), 0.06 * Math.max(Math.abs(low), Math.abs(high)), 1e-12);
    return [low - room, high + room];
  }

  series(label, stroke) {
    return { label, stroke, width: 1.6, points: { show: false }, value: (u, v) => (v == null ? "–" : v.toExponential(1)) };
  }

  plot(id, height, options) {
    const holder = this.root.querySelector(`#${id}`);
    const made = new uPlot({ width: holder.clientWidth - 4, height, cursor: { drag: { x: true, y: false } }, ...options }, [[], ...options.series.slice(1).map(() => [])], holder);
    new ResizeObserver(() => made.setSize({ width: holder.clientWidth - 4, height })).observe(holder);
    return made;
  }
}
