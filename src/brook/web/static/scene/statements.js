// What a picture in space shows, as statements with their values in place: cuts, walls, surfaces, streamlines.

import { pretty, rounded, seconds } from "../numbers.js";
import { area } from "../space/words.js";
import { optionOf } from "../views.js";
import { atOf, boxAlong, gripOf, inMillimetres, millimetres, normalOf, turned, volume } from "./places.js";

const make = (kind, fields = {}, ...inside) => {
  const made = Object.assign(document.createElement(kind), fields);
  made.append(...inside);
  return made;
};
const MOST = 12;

export class Statements {
  constructor(page, holder) {
    Object.assign(this, { page, holder, told: [] });
    this.list = make("ul", { className: "statements layers" });
    const adds = [["cut", () => this.add(page.usualCut())], ["walls", () => this.add({ kind: "patches" })], ["surface", () => this.addSurface()], ["cylinder", () => this.addCylinder()], ["streamlines", () => this.add({ kind: "streamlines", begin: "patch", patch: this.flowing[0] ?? null })]];
    const bar = make("p", { className: "add layer-add" }, "Add ", ...adds.flatMap(([words, does]) => [make("button", { type: "button", className: "plain", textContent: words, onclick: does }), " "]));
    holder.replaceChildren(this.list, bar);
    this.flowing = JSON.parse(page.data.patches);
    this.active = page.layers.findIndex((layer) => layer.kind === "cut");
    this.draw();
  }

  get layers() { return this.page.layers; }

  add(layer) {
    if (this.layers.length >= MOST) { this.page.tell(`A picture has at most ${MOST} layers; take one out first.`); return; }
    this.active = this.layers.length;
    this.page.change([...this.layers, layer]);
    this.draw();
    this.list.lastElementChild?.querySelector("select, input")?.focus();
  }

  /** A surface half way between the values that are shown, or at a value that is asked for. */
  addSurface() {
    const { choice, legend } = this.page, [low, high] = legend.whole ?? [0, 1];
    this.add({ kind: "surface", of: choice.value, level: Number((0.5 * (low + high)).toPrecision(3)) });
  }

  /** Changes a layer; what stands beside it is written anew unless a hand is on it. */
  set(k, more, redraw = false) {
    const other = this.active !== k;
    this.active = k;
    const done = this.page.change(this.layers.map((layer, i) => (i === k ? { ...layer, ...more } : layer)));
    if (redraw) this.draw();
    else if (other) this.grip();
    return done;
  }

  take(k) {
    this.page.change(this.layers.filter((_, i) => i !== k));
    this.active = this.layers.findIndex((layer) => layer.kind === "cut");
    this.draw();
  }

  draw() {
    this.list.replaceChildren(...this.layers.map((layer, k) => {
      const out = make("button", { type: "button", className: "tiny", textContent: "✕", title: "Take this out", onclick: () => this.take(k) });
      out.setAttribute("aria-label", `Take out layer ${k + 1}`);
      const row = make("li", { className: `layer ${layer.kind}` }, ...this[layer.kind](layer, k), " ", out, make("small", { className: "layer-says" }));
      row.onfocusin = () => { if (layer.kind === "cut" && this.active !== k) { this.active = k; this.grip(); } };
      return row;
    }));
    if (!this.layers.length) this.list.append(make("li", { className: "quiet", textContent: "Nothing is shown yet but the walls from inside." }));
    this.tell(this.told);
    this.grip();
  }

  // -- controls -----------------------------------------------------------------------------------

  select(label, options, value, does) {
    const made = make("select", { className: "v boxed", onchange: () => does(made.value) }, ...options.map(([v, words]) => new Option(words, v, false, String(v) === String(value))));
    made.setAttribute("aria-label", label);
    return made;
  }

  input(label, value, size, does) {
    const made = make("input", { className: "v boxed", defaultValue: value, value, size, autocomplete: "off" });
    made.setAttribute("aria-label", label);
    made.onchange = () => { made.toggleAttribute("aria-invalid", false); const why = does(made.value.trim()); if (why) { made.setAttribute("aria-invalid", "true"); this.why(made, why); } };
    return made;
  }

  check(words, value, does) {
    const box = make("input", { type: "checkbox", checked: Boolean(value), onchange: () => does(box.checked) });
    return make("label", {}, box, ` ${words}`);
  }

  slider(label, share, does) {
    const made = make("input", { type: "range", min: 0, max: 1000, value: Math.round(1000 * share), className: "layer-slider", oninput: () => does(made.value / 1000) });
    made.setAttribute("aria-label", label);
    return made;
  }

  why(near, words) {
    const says = near.closest("li").querySelector(".layer-says");
    says.textContent = words;
    says.className = "layer-says why";
  }

  button(words, does, title = "") { return make("button", { type: "button", className: "plain", textContent: words, onclick: does, title }); }

  colouring(layer, k) { return this.check("plain", layer.plain, (plain) => this.set(k, { plain })); }

  // -- cuts ---------------------------------------------------------------------------------------

  cut(layer, k) {
    const { page } = this, n = normalOf(layer), axis = ["x", "y", "z"].find((_, i) => Math.abs(n[i]) > 1 - 1e-9), box = () => boxAlong(page.shape, normalOf(this.layers[k]));
    const across = this.select("Cut across", [["x", "x"], ["y", "y"], ["z", "z"], ["look", "the line of sight"], ...(axis ? [["askew", "another direction"]] : [["askew", "askew"]]), ["three", "through three places"]], axis ?? "askew", (way) => this.turn(k, way));
    const at = this.input("Place of the cut", millimetres(atOf(layer)), 8, (text) => {
      const metres = inMillimetres(text), [low, high] = box();
      if (!(metres > low && metres < high)) return `the mesh lies between ${millimetres(low)} and ${millimetres(high)} along this direction`;
      this.move(k, metres);
      return "";
    });
    const slide = this.slider("Move the cut", 0.5, (share) => { const [low, high] = box(); this.move(k, low + share * (high - low)); });
    if (page.shape) { const [low, high] = box(); slide.value = Math.round((1000 * (atOf(layer) - low)) / (high - low)); }
    const angles = axis ? [] : this.angles(layer, k);
    return ["Cut across ", across, ...angles, " at ", at, " ", slide, make("br"),
      this.colouring(layer, k), " ", this.check("by cell", layer.by_cell, (by_cell) => this.set(k, { by_cell })), " ", this.check("mesh", layer.mesh_lines, (mesh_lines) => this.set(k, { mesh_lines })), " ",
      this.check("clip", layer.clips, (wanted) => this.set(k, { clips: wanted ? this.before(k) : "" })), " ", ...this.arrows(layer, k), " ", ...this.levels(layer, k)];
  }

  /** Moves a cut to a place along its direction, in m, but not out of the box round the shape. */
  move(k, wanted) {
    const cut = this.layers[k], n = normalOf(cut), [low, high] = boxAlong(this.page.shape, n), least = 5e-4 * (high - low);
    const at = Math.min(high - least, Math.max(low + least, wanted));
    this.set(k, { through: cut.through.map((v, i) => v + (at - atOf(cut)) * n[i]) });
    this.placed(k);
  }

  /** Brings the fields of a cut to where it is. */
  placed(k) {
    const cut = this.layers[k], [low, high] = boxAlong(this.page.shape, normalOf(cut)), row = this.list.children[k];
    row.querySelector("[aria-label='Place of the cut']").value = millimetres(atOf(cut));
    row.querySelector(".layer-slider").value = Math.round((1000 * (atOf(cut) - low)) / (high - low));
  }

  arrows(layer, k, what = "speed") { return [what === "speed" ? "arrows " : "friction arrows ", this.select(what === "speed" ? "Arrows" : "Arrows of friction", [["", "none"], ["long", `by ${what}`], ["equal", "equal"]], layer.arrows ?? "", (arrows) => this.set(k, { arrows }))]; }

  levels(layer, k) { return ["lines ", this.select("Lines of equal value", [[0, "none"], [6, "about 6"], [12, "about 12"], [24, "about 24"]], layer.levels ?? 0, (levels) => this.set(k, { levels: Number(levels) }))]; }

  /** The side of a cut that lies before it, as one looks now. */
  before(k) { const n = normalOf(this.layers[k]), { away } = this.page.view.camera; return n[0] * away.x + n[1] * away.y + n[2] * away.z >= 0 ? "above" : "below"; }

  /** Two angles of an askew cut's direction: round z from x, and up. */
  angles(layer, k) {
    const n = normalOf(layer), degrees = 180 / Math.PI, round = Math.atan2(n[1], n[0]) * degrees, up = Math.asin(Math.max(-1, Math.min(1, n[2]))) * degrees;
    const put = (a, b) => { // about the place of the cut that is nearest to the middle of the shape
      const cut = this.layers[k], was = normalOf(cut), m = this.page.shape.middle, off = atOf({ through: m, across: was }) - atOf(cut);
      this.set(k, { through: m.map((v, i) => v - off * was[i]), across: turned(a / degrees, b / degrees) });
      this.placed(k);
    };
    const number = (label, value, does) => Object.assign(this.input(label, Number(value.toFixed(1)), 5, (text) => { if (!Number.isFinite(Number(text))) return "an angle in degrees"; does(Number(text)); return ""; }), { type: "number", step: 5 });
    const one = number("Turned round z, in degrees", round, (a) => put(a, Number(two.value))), two = number("Turned up, in degrees", up, (b) => put(Number(one.value), b));
    return [" ", one, "° round z, ", two, "° up"];
  }

  turn(k, way) {
    const { page } = this, { middle } = page.shape, layer = this.layers[k];
    if (way === "three") { this.threePlaces(k); return; }
    const look = page.view.camera.away.toArray(), unit = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1], look, askew: turned(Math.PI / 6, Math.PI / 12) }[way];
    const usual = page.usualCut(), same = usual.across.every((v, i) => v === unit[i]);
    this.set(k, { across: unit, through: same ? usual.through : middle.map((v, i) => v + 0.007 * page.shape.half[i]) }, true); // beside the middle, where boxes meet
    if (way === "look") page.tell(`The cut faces you as you look now; ${layer.clips ? "what lies before it is left away" : "clip leaves away what lies before it"}.`);
  }

  threePlaces(k) {
    const places = [], { page } = this;
    page.ask("Click three places that the cut shall pass.", (at) => {
      places.push(at);
      if (places.length < 3) { page.tell(`${3 - places.length} more. Escape leaves.`); return; }
      page.leave();
      const [a, b, c] = places, u = b.map((v, i) => v - a[i]), w = c.map((v, i) => v - a[i]), across = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]], size = Math.hypot(...across);
      if (size < 1e-9 * Math.hypot(...u) * Math.hypot(...w) || size === 0) { page.tell("These three places lie on one line; a plane needs three that do not."); this.draw(); return; }
      this.set(k, { through: a, across: across.map((v) => v / size) }, true);
    });
    this.draw();
  }

  /** The handle on the cut that was changed last. */
  grip() {
    const { page } = this, layer = this.layers[this.active];
    if (!page.shape) return;
    if (layer?.kind !== "cut") { page.view.setGrip(null); return; }
    const n = normalOf(layer), k = this.active, Vector = page.view.camera.target.constructor;
    page.view.setGrip({ at: new Vector(...gripOf(layer, page.shape.layers.get(`${k}`), page.shape)), along: new Vector(...n), move: (by) => this.move(k, atOf(this.layers[k]) + by) });
  }

  // -- walls, surfaces, streamlines -----------------------------------------------------------------

  patches(layer, k) {
    const names = () => this.page.shape.data.patches.map((p) => p.name);
    const field = this.input("Patches, separated by commas", (layer.patches ?? []).join(", "), 16, (text) => {
      const wanted = text.split(/[,\s]+/).filter(Boolean), strange = wanted.find((name) => !names().includes(name));
      if (strange) return `there is no patch ${strange}; there are ${names().slice(0, 12).join(", ")}${names().length > 12 ? " …" : ""}`;
      this.set(k, { patches: wanted });
      return "";
    });
    field.placeholder = "all patches";
    return ["Walls ", field, " ", this.colouring(layer, k), " ", this.check("mesh", layer.mesh_lines, (mesh_lines) => this.set(k, { mesh_lines })), " ", ...this.arrows(layer, k, "stress"), " ", ...this.levels(layer, k)];
  }

  /** The quantity of a surface with the unit that suits its values. */
  optionFor(of, { least = 0, most = 0 } = {}) {
    const option = [...this.page.choice.options].find((o) => o.value === of) ?? this.page.choice.selectedOptions[0];
    return optionOf(option, () => Math.max(Math.abs(most), Math.abs(least)));
  }

  surface(layer, k) {
    const options = [...this.page.choice.options].map((o) => [o.value, o.textContent]), unit = this.optionFor(layer.of, this.told[k]?.numbers);
    const shown = (level) => `${rounded(level * unit.factor + unit.shift, 4)} ${pretty(unit.unit)}`.trim();
    const field = this.input("Value on the surface", shown(layer.level), 10, (text) => {
      const typed = /^([-−+]?[\d.]+(?:e[-+]?\d+)?)\s*(.*)$/i.exec(text), value = typed ? Number(typed[1].replace("−", "-")) : NaN;
      if (!Number.isFinite(value) || (typed[2] && ![unit.unit, pretty(unit.unit)].includes(typed[2]))) return `a value in ${pretty(unit.unit) || "plain numbers"}`;
      this.set(k, { level: (value - unit.shift) / unit.factor });
      return "";
    });
    const slide = this.slider("Move the value", 0.5, (share) => {
      const { least, most } = this.told[k]?.numbers ?? {};
      if (least === undefined) return;
      const level = least + share * (most - least);
      field.value = shown(level);
      this.set(k, { level });
    });
    slide.dataset.level = layer.level;
    return ["Surface where ", this.select("Quantity of the surface", options, layer.of, (of) => { const whole = this.page.legend.whole; this.set(k, { of, level: of === this.page.choice.value && whole ? (whole[0] + whole[1]) / 2 : layer.level }).then(() => this.middle(k)); }), " is ", field, " ", slide, " ", this.colouring(layer, k), " ", this.check("mesh", layer.mesh_lines, (mesh_lines) => this.set(k, { mesh_lines })), " ", ...this.arrows(layer, k), " ", ...this.levels(layer, k)];
  }

  cylinder(layer, k) {
    const longest = Math.max(...layer.along.map(Math.abs)), axis = "xyz"[layer.along.findIndex((v) => Math.abs(v) === longest)], other = { x: ["y", "z"], y: ["x", "z"], z: ["x", "y"] }[axis];
    const along = this.select("Axis of the cylinder", [["x", "x"], ["y", "y"], ["z", "z"]], axis, (way) => this.set(k, { along: ["x", "y", "z"].map((one) => (one === way ? 1 : 0)) }, true));
    const field = (label, value, put) => this.input(label, millimetres(value), 8, (text) => {
      const metres = inMillimetres(text);
      if (!Number.isFinite(metres)) return "a length, as 12 mm";
      return put(metres) ?? "";
    });
    const at = other.map((name) => field(`${name} of the axis`, layer.through["xyz".indexOf(name)], (v) => { this.set(k, { through: this.layers[k].through.map((w, i) => ("xyz"[i] === name ? v : w)) }); }));
    const radius = field("Radius of the cylinder", layer.radius, (v) => { if (!(v > 0)) return "a radius over nothing"; this.set(k, { radius: v }); return ""; });
    return ["Cylinder along ", along, ` at ${other[0]} `, at[0], ` ${other[1]} `, at[1], " of radius ", radius, " ", this.colouring(layer, k), " ", this.check("mesh", layer.mesh_lines, (mesh_lines) => this.set(k, { mesh_lines })), " ", ...this.arrows(layer, k), " ", ...this.levels(layer, k)];
  }

  /** A cylinder along the longest side of the shape, half as wide as the shape. */
  addCylinder() {
    const { middle, half } = this.page.shape, k = half.indexOf(Math.max(...half));
    this.add({ kind: "cylinder", through: middle, along: [0, 1, 2].map((i) => (i === k ? 1 : 0)), radius: Number((0.5 * Math.min(...half.filter((_, i) => i !== k))).toPrecision(3)) });
  }

  /** A surface of another quantity begins half way between its values. */
  middle(k) {
    const { least, most } = this.told[k]?.numbers ?? {};
    if (least !== undefined && !(this.layers[k].level > least && this.layers[k].level < most)) this.set(k, { level: Number(((least + most) / 2).toPrecision(3)) }, true);
    else this.draw();
  }

  streamlines(layer, k) {
    const begin = layer.begin === "patch" ? `patch:${layer.patch}` : layer.begin;
    const from = this.select("Where streamlines begin", [...this.flowing.map((p) => [`patch:${p}`, p]), ["line", "a line"], ["ring", "a ring"], ["places", "places by click"]], begin, (way) => this.begin(k, way));
    const count = this.input("How many streamlines", layer.count ?? 24, 4, (text) => {
      const number = Number(text);
      if (!Number.isInteger(number) || number < 1 || number > 400) return "from 1 to 400";
      this.set(k, { count: number });
      return "";
    });
    const again = layer.begin === "patch" ? [] : [" ", this.button(layer.begin === "places" ? "more" : "place", () => this.begin(k, layer.begin), "Click where they begin")];
    return ["Streamlines from ", from, ...again, ...(layer.begin === "places" ? [] : [" ", count, " of them"]), " ", this.select("Which way", [["both", "both ways"], ["down", "downstream"], ["up", "upstream"]], layer.ways ?? "both", (ways) => this.set(k, { ways })),
      " as ", this.select("How they are drawn", [["", "lines"], ["1", "ribbons"]], layer.ribbons ? "1" : "", (ribbons) => this.set(k, { ribbons: Boolean(ribbons) })), " coloured ", this.select("How streamlines are coloured", [["", "as the rest"], ["time", "by time"], ["plain", "plain"]], layer.by_time ? "time" : layer.plain ? "plain" : "", (how) => this.set(k, { by_time: how === "time", plain: how === "plain" }))];
  }

  begin(k, way) {
    const { page } = this;
    if (way.startsWith("patch:")) { this.set(k, { begin: "patch", patch: way.slice(6), places: [] }, true); return; }
    const before = this.layers[k], first = [];
    if (way === "places") {
      page.ask("Click where streamlines shall pass.", (at) => this.set(k, { begin: "places", places: [...(this.layers[k].begin === "places" ? this.layers[k].places ?? [] : []), at] }, true));
    } else {
      page.ask(way === "line" ? "Click the two ends of the line that streamlines begin on." : "Click the middle of the ring, then a place on it.", (at, hit) => {
        first.push(at);
        if (first.length < 2) return;
        page.leave();
        const [a, b] = first, radius = Math.hypot(...b.map((v, i) => v - a[i])), cut = this.layers[Number(hit.layer)], n = cut?.kind === "cut" ? normalOf(cut) : page.view.camera.away.toArray();
        this.set(k, { begin: way, places: way === "line" ? [a, b] : [a, n.map((v) => v * radius)] }, true);
      });
    }
    if (before.begin !== way) this.draw();
  }

  // -- what came of it ------------------------------------------------------------------------------

  tell(told) {
    this.told = this.layers.map((layer) => (told ?? []).find((one) => one?.recipe === layer)); // what was told of a layer as it was is not of it as it is
    [...this.list.children].forEach((row, k) => {
      const says = row.querySelector(".layer-says"), one = this.told[k], layer = this.layers[k];
      if (!says || !layer) return;
      says.className = `layer-says${one?.error ? " why" : ""}`;
      says.replaceChildren(one ? (one.error ? `Not shown: ${one.error}.` : this.words(layer, one)) : "");
      if (layer.kind === "streamlines" && one?.numbers?.taken?.length > 3) says.append(durations(one.numbers.taken));
      const slide = row.querySelector("[data-level]"), { least, most } = one?.numbers ?? {};
      if (slide && least !== undefined && document.activeElement !== slide) slide.value = Math.round((1000 * (layer.level - least)) / (most - least || 1));
    });
  }

  words(layer, { numbers, words }) {
    const { words: what, unit, factor, shift } = this.page.unit ?? this.page.option, mean = numbers.mean === undefined ? "" : `, mean ${what} ${rounded(numbers.mean * factor + shift)} ${pretty(unit)}`;
    if (layer.kind === "surface") {
      const of = this.optionFor(layer.of, numbers), said = (v) => `${rounded(v * of.factor + of.shift)} ${pretty(of.unit)}`, range = `${of.words} goes from ${said(numbers.least)} to ${said(numbers.most)}`;
      if (words.includes("nowhere")) return `Nowhere: ${range}.`;
      return `${area(numbers.area)}; above it in ${volume(numbers.volume)}, ${rounded(100 * numbers.share)} % of what is meshed${mean}; ${range}${words.length ? `; ${words.join("; ")}` : ""}.`;
    }
    if (layer.kind === "streamlines") {
      const ends = Object.entries(numbers.ends).sort((a, b) => b[1] - a[1]), rest = ends.slice(8).reduce((sum, [, n]) => sum + n, 0);
      const where = [...ends.slice(0, 8).map(([end, n]) => `${n} ${end}`), ...(rest ? [`${rest} elsewhere`] : [])].join(", ");
      const time = numbers.seconds ? `; ${numbers.through} from patch to patch in ${seconds(numbers.seconds[0])} to ${seconds(numbers.seconds[2])}, half of them in under ${seconds(numbers.seconds[1])}` : "";
      const coloured = numbers.longest ? `; colours go from 0 to ${seconds(numbers.longest)}` : "";
      return `${numbers.lines} streamline${numbers.lines === 1 ? "" : "s"}${coloured}; ends: ${where}${time}${numbers.outside ? `; ${numbers.outside} begin outside of the fluid` : ""}${words.length ? `; ${words.join("; ")}` : ""}. `;
    }
    return `${area(numbers.area)}${mean}${words.length ? `; ${words.join("; ")}` : ""}.`;
  }
}

/** How many lines take how long, as a small picture. */
function durations(taken) {
  const bins = 24, low = taken[0], high = taken.at(-1), counts = new Array(bins).fill(0), wide = 190, tall = 30;
  for (const t of taken) counts[Math.min(bins - 1, Math.floor(((t - low) / (high - low || 1)) * bins))] += 1;
  const most = Math.max(...counts), bars = counts.map((n, k) => `<rect x="${(k * wide) / bins}" y="${tall - (tall * n) / most}" width="${wide / bins - 1}" height="${(tall * n) / most}"/>`).join("");
  const holder = make("span", { className: "durations" });
  holder.innerHTML = `<svg viewBox="0 0 ${wide} ${tall}" width="${wide}" height="${tall}" role="img" aria-label="How long the lines take from patch to patch">${bars}</svg>`;
  holder.append(make("span", { className: "ends" }, make("span", { textContent: seconds(low) }), make("span", { textContent: "from patch to patch" }), make("span", { textContent: seconds(high) })));
  return holder;
}
