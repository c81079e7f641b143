// The plots of a page: profiles of one or all variants, with reference points and how far they are apart.

import uPlot from "./vendor/uplot/uPlot.esm.js";
import { pretty, rounded } from "./numbers.js";
import { Plot, wholeRange } from "./plot.js";

const COLOURS = ["#0f6e74", "#b4532a", "#7a5195", "#5b7f3a", "#3b6ea5", "#a8791a", "#8a5a44", "#a3497e", "#4f6a3d", "#59636b", "#20506b", "#873a19"];
const el = (name, text = "", className = "") => Object.assign(document.createElement(name), { textContent: text, className });
/** The size of a share in percent; what is below a thousandth of a percent is rounding of the numbers, not a difference. */
const percent = (share) => (Math.abs(share) < 0.001 ? "0" : rounded(Math.abs(share), 2));

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
    this.draw(holder);
    this.compare();
    this.figure.dataset.shown = this.data.curves.length;
  }

  draw(holder) {
    const { data } = this, unit = (u) => (u ? ` [${pretty(u)}]` : "");
    holder.replaceChildren();
    const all = [...data.curves.map((c) => ({ ...c, points: false })), ...data.references.map((r) => ({ ...r, points: true }))];
    const joined = uPlot.join(all.map(({ x, y }) => {
      const order = [...x.keys()].sort((a, b) => x[a] - x[b]);
      return [order.map((k) => x[k]), order.map((k) => y[k])];
    }));
    this.series = all.map((curve, k) => ({ label: curve.title, colour: COLOURS[k % COLOURS.length], points: curve.points, gaps: true, text: (v) => `${rounded(v, 4)}` }));
    this.legend(all);
    this.plot = new Plot(holder, this.series, {
      height: 250, xLabel: `${data.x_title}${unit(data.x_unit)}`, yLabel: `${data.words}${unit(data.y_unit)}`, range: wholeRange,
      onCursor: (i) => this.say(i),
    });
    this.plot.set(joined);
    if (data.x_range || data.y_range) this.plot.zoom(data.x_range, data.y_range, true);
    this.joined = joined;
    const log = this.figure.querySelector(".plot-log");
    log?.addEventListener("change", () => this.plot.setLog(log.checked));
  }

  legend(all) {
    const list = this.figure.querySelector(".plot-legend");
    list.replaceChildren(...all.map((curve, k) => {
      const item = el("li"), mark = el("i", "", `plot-mark${curve.points ? " points" : ""}`), value = el("b", "", "num");
      mark.style.setProperty("--c", this.series[k].colour);
      item.append(mark, el("span", curve.title), value);
      return item;
    }));
  }

  say(index) {
    const values = this.figure.querySelectorAll(".plot-legend b");
    values.forEach((value, k) => {
      const v = index == null ? null : this.nearest(k + 1, index);
      value.textContent = v == null ? "" : `${rounded(v, 4)} ${pretty(this.data.y_unit)}`;
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
        const row = el("tr"), share = (v) => (v == null ? "–" : `${percent(v) === "0" ? "" : v > 0 ? "+" : "−"}${percent(v)}`);
        row.append(el("td", rounded(reference.x[k], 4), "num"), el("td", rounded(reference.y[k], 4), "num"), ...reference.against.flatMap((a) => [el("td", rounded(a.computed[k], 4), "num"), el("td", share(a.share[k]), "num")]));
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
