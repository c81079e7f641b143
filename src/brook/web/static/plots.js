// The plots of a page: profiles of one or all variants, with reference points and how far they are apart.

import uPlot from "./vendor/uplot/uPlot.esm.js";
import { pretty, rounded } from "./numbers.js";
import { Plot, oneWay, wholeRange } from "./plot.js";

const COLOURS = ["#0f6e74", "#b4532a", "#7a5195", "#5b7f3a", "#3b6ea5", "#a8791a", "#8a5a44", "#a3497e", "#4f6a3d", "#59636b", "#20506b", "#873a19"];
const el = (name, text = "", className = "") => Object.assign(document.createElement(name), { textContent: text, className });
/** The size of a share in percent; what is below a thousandth of a percent is rounding of the numbers, not a difference. */
const percent = (share) => (Math.abs(share) < 0.001 ? "0" : rounded(Math.abs(share), 2));
const shareOf = (v) => (v == null ? "–" : `${percent(v) === "0" ? "" : v > 0 ? "+" : "−"}${percent(v)}`);

export function openPlots(root) {
  const figures = [...root.querySelectorAll("figure.curve-plot")].map((figure) => new CurvePlot(figure));
  for (const figure of figures) figure.open();
  return figures;
}

class CurvePlot {
  constructor(figure) { this.figure = figure; this.hidden = new Set(); }

  async open() {
    const holder = this.figure.querySelector(".curve");
    try {
      const answer = await fetch(this.figure.dataset.curves, { headers: { Accept: "application/json" } });
      const data = await answer.json();
      if (!answer.ok) throw new Error(typeof data.detail === "string" ? data.detail : "the server could not read it");
      this.data = data;
    } catch (error) {
      holder.replaceChildren(el("p", `This plot cannot be shown: ${error.message}`, "empty small-empty"));
      return;
    }
    if (![...this.data.curves, ...this.data.references].some((c) => c.x.length)) {
      holder.replaceChildren(el("p", `There is nothing to show. ${(this.data.gaps ?? []).join(". ")}`, "empty small-empty"));
      return;
    }
    this.draw(holder);
    const stage = this.figure.closest("#stage"), read = this.data.curves.filter((c) => c.places.length).map((c) => ({ title: c.title, places: c.places }));
    if (stage) { (stage.curvesRead ??= new Map()).set(this.figure.id, read); stage.dispatchEvent(new Event("curves-read")); }
    this.compare();
    this.figure.dataset.shown = this.data.curves.length;
  }

  draw(holder) {
    const { data } = this, unit = (u) => (u ? ` [${pretty(u)}]` : ""), { second } = data;
    holder.replaceChildren();
    const all = [
      ...data.curves.map((c) => ({ ...c, unit: data.y_unit })), ...data.references.map((r) => ({ ...r, unit: data.y_unit, points: true })),
      ...(second?.curves ?? []).map((c) => ({ ...c, unit: second.unit, right: true })),
    ];
    const pieces = all.flatMap((curve, k) => (curve.points ? [[...curve.x.keys()]] : oneWay(curve.x)).map((numbers) => ({ k, numbers })));
    const joined = uPlot.join(pieces.map(({ k, numbers }) => {
      const order = numbers.filter((n) => all[k].x[n] != null).sort((a, b) => all[k].x[a] - all[k].x[b]);
      return [order.map((n) => all[k].x[n]), order.map((n) => all[k].y[n])];
    }));
    this.series = pieces.map(({ k }) => ({
      curve: k, label: all[k].title, colour: COLOURS[k % COLOURS.length], points: all[k].points, right: all[k].right, dash: all[k].right ? [7, 4] : undefined, gaps: true,
      text: (v) => `${rounded(v, 4)}`,
    }));
    this.legend(all);
    this.plot = new Plot(holder, this.series, {
      height: 250, xLabel: `${data.x_title}${unit(data.x_unit)}`, yLabel: `${data.words}${unit(data.y_unit)}`, range: wholeRange,
      right: second ? { label: `${second.words}${unit(second.unit)}`, range: second.range } : undefined, onCursor: (i) => this.say(i),
    });
    this.plot.set(joined);
    if (data.x_range || data.y_range) this.plot.zoom(data.x_range, data.y_range, true);
    this.joined = joined;
    const log = this.figure.querySelector(".plot-log");
    log?.addEventListener("change", () => this.plot.setLog(log.checked));
  }

  legend(all) {
    const list = this.figure.querySelector(".plot-legend");
    this.shown = all;
    list.replaceChildren(...all.map((curve, k) => {
      const item = el("li"), mark = el("i", "", `plot-mark${curve.points ? " points" : ""}${curve.right ? " right" : ""}`), value = el("b", "", "num");
      mark.style.setProperty("--c", COLOURS[k % COLOURS.length]);
      item.append(mark, el("span", curve.right ? `${curve.title} (right)` : curve.title), value);
      return item;
    }));
  }

  say(index) {
    const values = this.figure.querySelectorAll(".plot-legend b");
    values.forEach((value, k) => {
      const found = index == null ? [] : this.series.flatMap((s, n) => (s.curve === k ? [this.nearest(n + 1, index)] : [])).filter((v) => v != null);
      value.textContent = found.length ? `${found.map((v) => rounded(v, 4)).join(" and ")} ${pretty(this.shown[k].unit)}` : "";
    });
    const at = this.figure.querySelector(".plot-at");
    at.textContent = index == null ? "" : `${this.data.x_title} ${rounded(this.joined[0][index], 4)} ${pretty(this.data.x_unit)}`;
  }

  /** The value of a series at a joined place, or beside it where another curve has the place. */
  nearest(series, index) {
    const values = this.joined[series];
    for (const k of [index, index - 1, index + 1]) if (values[k] != null) return values[k];
    return null;
  }

  /** The table of reference points with the differences. */
  compare() {
    const holder = this.figure.querySelector(".plot-differences");
    const { data } = this, unit = (u) => (u ? ` [${pretty(u)}]` : "");
    const gaps = (data.gaps ?? []).map((words) => el("p", `${words}.`, "quiet"));
    holder.replaceChildren(...gaps, ...data.references.map((reference) => {
      const block = el("details"), summary = el("summary");
      const words = reference.against.map((a) => (a.mean == null ? `${a.title} does not reach the points` : `${reference.against.length > 1 ? `${a.title}: ` : ""}differs by ${percent(a.mean)} % (root mean square), at most ${percent(a.largest)} %, of the largest value`));
      summary.append(el("b", reference.title), ` · ${words.join("; ")}`);
      const table = el("table", "", "small"), head = el("tr"), body = el("tbody");
      head.append(el("th", `${data.x_title}${unit(data.x_unit)}`, "num"), el("th", `reference${unit(data.y_unit)}`, "num"), ...reference.against.flatMap((a) => [el("th", `${a.title}${unit(data.y_unit)}`, "num"), el("th", "difference [%]", "num")]));
      for (let k = 0; k < reference.x.length; k++) {
        const row = el("tr");
        row.append(el("td", rounded(reference.x[k], 4), "num"), el("td", rounded(reference.y[k], 4), "num"), ...reference.against.flatMap((a) => [el("td", rounded(a.computed[k], 4), "num"), el("td", shareOf(a.share[k]), "num")]));
        body.append(row);
      }
      for (const [k, which] of ["largest", "smallest"].entries()) {
        const there = reference.against.find((a) => a.extremes?.length);
        if (!there) break;
        const row = el("tr", "", "total");
        row.append(el("td", which), el("td", rounded(there.extremes[k].reference, 4), "num"), ...reference.against.flatMap((a) => (a.extremes?.length ? [el("td", rounded(a.extremes[k].computed, 4), "num"), el("td", shareOf(a.extremes[k].share), "num")] : [el("td", "–", "num"), el("td", "–", "num")])));
        body.append(row);
      }
      const top = el("thead");
      top.append(head);
      table.append(top, body);
      const wrap = el("div", "", "difference-table");
      wrap.append(table);
      block.append(summary, wrap);
      block.open = reference.x.length <= 8;
      return block;
    }));
  }
}
