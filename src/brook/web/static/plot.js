// One plot of curves: zoom, pan, own ranges, log or linear, smoothing, values under the pointer.

import uPlot from "./vendor/uplot/uPlot.esm.js";

const INK = "#566069", GRID = { stroke: "#ebe7dc", width: 1 }, FONT = "11px Plex";
/** Powers of ten from low to high; our own, as the library's way has no end for ranges that come to nothing. */
const decades = (u, axis, low, high) => {
  if (!(low > 0) || !(high > low) || !Number.isFinite(high)) return [];
  const first = Math.ceil(Math.log10(low) - 1e-9), last = Math.floor(Math.log10(high) + 1e-9), step = Math.max(1, Math.ceil((last - first + 1) / 9));
  return Array.from({ length: Math.max(0, Math.floor((last - first) / step) + 1) }, (_, k) => Number(`1e${first + k * step}`));
};
const power = (t) => (t == null ? null : t === 1 ? "1" : t.toExponential(0).replace("e-", "e−").replace("e+", "e"));
const plain = (t) => (t !== 0 && (Math.abs(t) >= 1e5 || Math.abs(t) < 1e-3) ? t.toExponential(1).replace("e-", "e−") : String(Number(t.toPrecision(4))));

/** Mean of the `count` values round each one; gaps stay gaps. */
export function smoothed(values, count) {
  if (count < 2) return values;
  const half = Math.floor(count / 2);
  return values.map((v, i) => {
    if (v == null) return null;
    let sum = 0, n = 0;
    for (let k = Math.max(0, i - half); k <= Math.min(values.length - 1, i + half); k++) if (values[k] != null) { sum += values[k]; n++; }
    return sum / n;
  });
}

/** The range of the later half of a curve with room, so that a start shock does not flatten it. */
export function lateRange(columns) {
  const late = columns.flatMap((values) => values.slice(Math.floor(values.length / 2)).filter((v) => v != null && Number.isFinite(v)));
  if (!late.length) return [0, 1];
  const low = Math.min(...late), high = Math.max(...late);
  const room = Math.max(0.6 * (high - low), 0.03 * Math.max(Math.abs(low), Math.abs(high)), 1e-12);
  return [low - room, high + room];
}

/** All values with a little room. */
export function wholeRange(columns) {
  let low = Infinity, high = -Infinity;
  for (const values of columns) for (const v of values) if (v != null && Number.isFinite(v)) { low = Math.min(low, v); high = Math.max(high, v); }
  if (low > high) return [0, 1];
  const room = 0.06 * (high - low) || 0.05 * Math.abs(high) || 1;
  return [low - room, high + room];
}

/** Numbers of a curve in pieces that go one way along the axis each, so that a curve that comes back has both its values there. */
export function oneWay(x) {
  const known = x.filter((v) => v != null), slack = 0.005 * (Math.max(...known) - Math.min(...known));
  const pieces = [[]];
  let turn = 0, far = null;
  x.forEach((v, n) => {
    const piece = pieces.at(-1);
    piece.push(n);
    if (v == null) return;
    far ??= { v, n };
    if (turn === 0 && Math.abs(v - far.v) > slack) turn = Math.sign(v - far.v);
    if (turn === 0) return;
    if ((v - far.v) * turn >= 0) { far = { v, n }; return; }
    if ((far.v - v) * turn <= slack) return;
    const from = piece.indexOf(far.n);
    pieces.push(piece.slice(from));
    piece.length = from + 1;
    turn = -turn;
    far = { v, n };
  });
  return pieces;
}

export class Plot {
  /**
   * series: [{label, colour, dash, width, points, right, text(value)}]; those `right` go by the axis `right: {label, range}`; options: xLabel, yLabel, log, floor, height, range(columns),
   * bands() → [{x0, x1, y0, y1}], marks() → [{x, text}], onCursor(index), onZoom([low, high] or null), legend, sync.
   */
  constructor(holder, series, options = {}) {
    Object.assign(this, { holder, series, options, own: { x: null, y: null }, smooth: 1, log: Boolean(options.log), data: [[]] });
    this.make();
    this.watch = new ResizeObserver(() => this.fit());
    this.watch.observe(holder);
    this.listen();
  }

  make() {
    const { height = 150, xLabel, yLabel, legend = false, sync, right } = this.options;
    this.made?.destroy();
    const { log } = this; // an old plot may draw once more after its end: it keeps its own kind of axis
    const axis = (more) => ({ stroke: INK, grid: GRID, ticks: { stroke: "#dcd7cb", size: 4 }, gap: 4, font: FONT, labelFont: FONT, labelSize: 16, ...more });
    const y = log
      ? axis({ size: 52, splits: decades, filter: (u, ticks) => ticks, ticks: { show: false }, grid: { ...GRID, filter: (u, ticks) => ticks }, values: (u, ticks) => ticks.map(power) })
      : axis({ size: 48, space: 26, values: (u, ticks) => ticks.map(plain) });
    this.made = new uPlot({
      width: Math.max(120, this.holder.clientWidth - 4), height, padding: [10, 12, 0, 0],
      legend: { show: legend, live: legend },
      cursor: { drag: { x: true, y: true, uni: 16, setScale: false }, ...(sync ? { sync: { key: sync, setSeries: false } } : {}), points: { size: 6 } },
      scales: { x: { time: false, range: () => this.xRange() }, y: { distr: log ? 3 : 1, range: () => this.yRange(log) }, ...(right ? { right: { range: () => this.rightRange() } } : {}) },
      axes: [axis({ label: xLabel, size: 30, values: (u, ticks) => ticks.map(plain) }), { ...y, label: yLabel }, ...(right ? [axis({ scale: "right", side: 1, size: 48, space: 26, grid: { show: false }, values: (u, ticks) => ticks.map(plain), label: right.label })] : [])],
      series: [{ label: xLabel ?? "x" }, ...this.series.map((s) => ({
        label: s.label, stroke: s.colour, scale: s.right ? "right" : "y", width: s.width ?? 1.7, dash: s.dash, spanGaps: !s.gaps,
        points: s.points ? { show: true, size: 7, stroke: s.colour, fill: "#fff", width: 1.6 } : { show: false },
        paths: s.points ? () => null : undefined, value: (u, v) => (v == null ? "–" : (s.text ?? plain)(v)),
      }))],
      hooks: {
        drawClear: [(u) => this.paintBands(u)], draw: [(u) => this.paintMarks(u)],
        setCursor: [(u) => this.options.onCursor?.(u.cursor.idx)],
        setSelect: [(u) => this.select(u)],
      },
    }, this.shown(), this.holder);
  }

  xRange() {
    const x = this.data[0];
    if (this.own.x) return this.own.x;
    return x.length > 1 ? [Math.min(x[0], x[x.length - 1]), Math.max(x[0], x[x.length - 1])] : [0, 1];
  }

  yRange(log = this.log) {
    const floor = this.options.floor ?? 1e-16, above = ([low, high]) => (log ? [Math.max(low, floor), Math.max(high, 2 * floor, 1.01 * low)] : [low, high]);
    if (this.own.y) return above(this.own.y);
    let columns = this.data.slice(1).filter((_, i) => !this.series[i]?.right);
    if (this.own.x) columns = columns.map((values) => values.filter((_, i) => this.data[0][i] >= this.own.x[0] && this.data[0][i] <= this.own.x[1]));
    let [low, high] = (this.own.x ? wholeRange : this.options.range ?? wholeRange)(columns);
    if (Math.abs(low) < 1e-9 * Math.abs(high)) low = 0; // ticks from nearly nothing would have no end
    return above([low, high]);
  }

  rightRange() {
    const [low, high] = this.options.right.range ?? wholeRange(this.data.slice(1).filter((_, i) => this.series[i]?.right));
    return [Math.abs(low) < 1e-9 * Math.abs(high) ? 0 : low, high];
  }

  /** x values and one list of y values for each series. */
  set(data) {
    this.data = data;
    this.made.setData(this.shown());
  }

  shown() {
    const floor = this.options.floor ?? 1e-16;
    return [this.data[0], ...this.series.map((s, i) => {
      const values = smoothed(this.data[i + 1] ?? [], s.points ? 1 : this.smooth);
      return this.log && !s.right ? values.map((v) => (v == null ? v : Math.max(v, floor))) : values;
    })];
  }

  setSmooth(count) { this.smooth = count; this.set(this.data); }
  setLog(log) { this.log = log; this.own.y = null; this.make(); }
  setSeries(series) { this.series = series; this.make(); }

  /** Own ranges, null for the plot's choice. */
  zoom(x, y = this.own.y, quiet = false) {
    const sound = (r) => (r && Number.isFinite(r[0]) && Number.isFinite(r[1]) && r[1] > r[0] ? r : null);
    this.own = { x: sound(x), y: sound(y) };
    this.made.setData(this.shown());
    if (!quiet) this.options.onZoom?.(this.own.x, this.own.y);
  }

  fit() { this.made.setSize({ width: Math.max(120, this.holder.clientWidth - 4), height: this.options.height ?? 150 }); }

  select(u) {
    const { left, top, width, height } = u.select;
    if (width < 4 && height < 4) return;
    const x = width > 4 ? [u.posToVal(left, "x"), u.posToVal(left + width, "x")] : this.own.x;
    const whole = height > 0.98 * u.over.clientHeight || height < 4;
    const y = whole ? this.own.y : [u.posToVal(top + height, "y"), u.posToVal(top, "y")];
    u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
    this.zoom(x, y);
  }

  /** Multiplies the shown stretch of x about a place. */
  zoomBy(factor, at = null) {
    const [low, high] = this.xRange();
    const middle = at ?? (low + high) / 2;
    this.zoom([middle - (middle - low) * factor, middle + (high - middle) * factor]);
  }

  panBy(share, up = 0) {
    const [low, high] = this.xRange(), [bottom, top] = this.yRange();
    const across = share * (high - low), rise = up * (top - bottom);
    this.zoom([low + across, high + across], up ? [bottom + rise, top + rise] : this.own.y);
  }

  listen() {
    const { holder } = this;
    holder.addEventListener("wheel", (event) => {
      if (!event.target.closest(".u-over")) return;
      event.preventDefault();
      const box = this.made.over.getBoundingClientRect();
      this.zoomBy(Math.exp(0.0015 * event.deltaY), this.made.posToVal(event.clientX - box.left, "x"));
    }, { passive: false });
    holder.addEventListener("dblclick", () => this.zoom(null, null));
    holder.addEventListener("mousedown", (event) => {
      if (!event.shiftKey || !event.target.closest(".u-over")) return;
      event.preventDefault();
      event.stopPropagation();
      let [x, y] = [event.clientX, event.clientY];
      const move = (e) => {
        this.panBy((x - e.clientX) / this.made.over.clientWidth, this.log ? 0 : (e.clientY - y) / this.made.over.clientHeight);
        [x, y] = [e.clientX, e.clientY];
      };
      const end = () => { removeEventListener("mousemove", move); removeEventListener("mouseup", end); };
      addEventListener("mousemove", move);
      addEventListener("mouseup", end);
    }, true);
    holder.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const act = { "+": () => this.zoomBy(0.7), "-": () => this.zoomBy(1.4), ArrowLeft: () => this.panBy(-0.15), ArrowRight: () => this.panBy(0.15), 0: () => this.zoom(null, null) }[event.key];
      if (!act) return;
      event.preventDefault();
      event.stopPropagation();
      act();
    });
  }

  paintBands(u) {
    for (const { x0, x1, y0, y1 } of this.options.bands?.() ?? []) {
      const [left, right] = [x0, x1].map((v) => u.valToPos(v, "x", true)), [top, bottom] = [y1, y0].map((v) => u.valToPos(v, "y", true));
      const { left: l, top: t, width, height } = u.bbox;
      const [a, b, c, d] = [Math.max(l, left), Math.min(l + width, right), Math.max(t, top), Math.min(t + height, bottom)];
      if (!(b > a)) continue;
      u.ctx.fillStyle = "rgba(91, 127, 58, 0.22)";
      u.ctx.fillRect(a, Math.min(c, d - 2), b - a, Math.max(2, d - c));
    }
  }

  paintMarks(u) {
    for (const { x, text } of this.options.marks?.() ?? []) {
      const at = u.valToPos(x, "x", true);
      if (at < u.bbox.left || at > u.bbox.left + u.bbox.width) continue;
      u.ctx.save();
      u.ctx.strokeStyle = "#a8791a";
      u.ctx.setLineDash([4, 3]);
      u.ctx.beginPath();
      u.ctx.moveTo(at, u.bbox.top);
      u.ctx.lineTo(at, u.bbox.top + u.bbox.height);
      u.ctx.stroke();
      u.ctx.fillStyle = "#7d5a10";
      u.ctx.font = `${11 * devicePixelRatio}px Plex`;
      const right = at > u.bbox.left + u.bbox.width / 2;
      u.ctx.textAlign = right ? "right" : "left";
      u.ctx.fillText(text, at + (right ? -4 : 4), u.bbox.top + 11 * devicePixelRatio);
      u.ctx.restore();
    }
  }

  close() { this.watch.disconnect(); this.made.destroy(); }
}
