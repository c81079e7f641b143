// The tools of the Results page: streamlines, arrows, profile lines, blink, and keeping a view as a plate.

import { arrows, profileLines, streamlines } from "./overlay.js";
import { FieldView } from "./field.js";
import { Layer } from "./layer.js";
import { Moments } from "./moments.js";
import { seconds } from "./numbers.js";
import { memory, remember } from "./views.js";
import { watchWays } from "./ways.js";

export class ResultTools {
  /** `cut` is what moves the cut of a result in space, null for a plane one. */
  constructor(root, pictures, cut = null) {
    Object.assign(this, { root, pictures, cut, view: pictures.views[0], seeds: [], start: null, drawn: {} });
    this.begin = root.querySelector("#streamlines");
    this.arrows = root.querySelector("#arrows");
    this.profile = root.querySelector("#profile");
    this.say = root.querySelector("#tool-says");
    const kept = memory("overlays") ?? {};
    if ([...this.begin.options].some((o) => o.value === kept.streamlines)) this.begin.value = kept.streamlines;
    this.arrows.checked = Boolean(kept.arrows);
    this.inPlane = !this.view.canvas.dataset.section;
    if (!this.inPlane && this.begin.value === "default") this.begin.value = "";
    if (cut) cut.onMoved = () => this.cutMoved();
    this.plate(root.querySelector("#plate-shown"));
    this.begin.addEventListener("change", () => { this.seeds = []; this.keep(); this.lines(); });
    this.arrows.addEventListener("change", () => { this.keep(); this.arrow(); });
    this.profile.addEventListener("click", () => this.startProfile());
    root.querySelector("#keep-view")?.addEventListener("htmx:configRequest", (event) => this.addView(event.detail.parameters));
    pictures.onPick = (view, place, event) => this.pick(place, event?.shiftKey);
    this.profiles = [];
    if (this.inPlane) watchLines(root, (lines) => { this.profiles = lines; this.draw(); }); // those of space are seen in space
    watchWays(root, (ways) => { this.drawn.ways = ways.length ? streamlines(this.inPlane ? ways : ways.map((way) => this.flat(way))) : null; this.draw(); });
    this.moments(root.querySelector("#moments"));
    this.lines();
    this.arrow();
  }

  /** The moments that a run in time kept; of other cuts than the first there is the end only. */
  moments(holder) {
    if (!holder) return;
    const { dataset } = this.view.canvas;
    const moments = new Moments(holder, async (number) => {
      if (number) dataset.moment = number; else delete dataset.moment;
      await this.pictures.show();
      this.draw();
    }, () => { this.pictures.held ??= [...this.view.range]; }, "streamlines, arrows, curves and tables are of the end"); // colours keep their meaning while it plays
    const allow = (this.allow = () => {
      if (dataset.cut) delete dataset.moment;
      moments.only(dataset.cut ? "of earlier moments another cut than the one this page began with is seen in space" : "");
    });
    this.pictures.choice.addEventListener("change", allow);
    allow();
    this.play = () => moments.press();
  }

  keep() { remember("overlays", { streamlines: this.begin.value.startsWith("by") ? "" : this.begin.value, arrows: this.arrows.checked }); }

  /** Sets the page to a kept plate. */
  plate(holder) {
    if (!holder) return;
    const plate = JSON.parse(holder.dataset.plate), { pictures } = this;
    if ([...pictures.choice.options].some((o) => o.value === plate.quantity)) pictures.choice.value = plate.quantity;
    pictures.held = plate.range;
    if (this.cut) { // one that says nothing of a cut is of the usual one
      const { across, at } = plate.cut ?? this.cut.usual;
      this.cut.move(across, at, !plate.camera).then(() => { if (plate.camera) pictures.look({ centre: [plate.camera.x, plate.camera.y], across: plate.camera.across }); });
    }
    this.begin.value = plate.streamlines && this.inPlane ? "default" : "";
    this.arrows.checked = plate.arrows;
    pictures.lines.checked = plate.mesh_lines;
    if (plate.camera) pictures.look({ centre: [plate.camera.x, plate.camera.y], across: plate.camera.across });
    else pictures.fit();
    pictures.show();
  }

  addView(parameters) {
    const { camera, quantity } = this.view, { held } = this.pictures, { cut, place } = this.view.canvas.dataset;
    const moved = cut ? `;${this.across}:${place}` : "";
    Object.assign(parameters, { quantity, camera: `${camera.centre.join(",")},${camera.across}${moved}`, range: held ? held.join(",") : "", streamlines: this.begin.value && this.inPlane ? "1" : "", arrows: this.arrows.checked ? "1" : "", mesh_lines: this.pictures.lines.checked ? "1" : "" });
  }

  /** Whether there is nothing to trace yet; says what is waited for. */
  waits(wish, kind) {
    if (wish && (!kind.startsWith("by") || this.seeds.length)) return false;
    this.drawn.streamlines = null;
    this.tell(kind === "by-click" ? "Click where a streamline shall pass." : kind === "by-line" ? "Click the two ends of the line that streamlines shall start from." : "");
    this.draw();
    return true;
  }

  async lines() {
    if (!this.inPlane) { await this.linesInSpace(); return; }
    const wish = this.begin.value, [kind, patch] = wish.split(":");
    if (this.waits(wish, kind)) return;
    const query = new URLSearchParams({ begin: kind === "default" ? "default" : kind === "patch" ? "patch" : "seeds", patch: patch ?? "", at: this.seeds.map((p) => p.join(",")).join(";"), run: this.view.canvas.dataset.run });
    this.tell("Tracing streamlines …");
    try {
      const answer = await fetch(`${this.view.canvas.dataset.readout}/streamlines.json?${query}`, { headers: { Accept: "application/json" } });
      if (!answer.ok) throw new Error((await answer.json()).detail);
      const found = await answer.json();
      if (this.begin.value !== wish) return;
      this.drawn.streamlines = streamlines(found);
      this.tell(`${found.length} streamline${found.length === 1 ? "" : "s"}${kind === "default" ? "; neighbours share the through-flow evenly" : ""}`);
      this.root.dataset.streamlines = found.length;
    } catch (error) { this.tell(`Streamlines cannot be shown: ${error.message}`); }
    this.draw();
  }

  /** Streamlines of a result in space, as they are seen along the axis that the cut lies across. */
  async linesInSpace() {
    const wish = this.begin.value, [kind, patch] = wish.split(":");
    this.found = null;
    if (this.waits(wish, kind)) return;
    const query = new URLSearchParams({ patch: patch ?? "", at: kind === "patch" ? "" : this.seeds.map((p) => p.join(",")).join(";"), run: this.view.canvas.dataset.run });
    this.tell("Tracing streamlines …");
    try {
      const answer = await fetch(`${this.view.canvas.dataset.readout}/lines.json?${query}`, { headers: { Accept: "application/json" } });
      if (!answer.ok) throw new Error((await answer.json()).detail);
      const found = await answer.json();
      if (this.begin.value !== wish) return;
      this.found = found;
      this.sayLines();
      this.root.dataset.streamlines = found.lines.length;
    } catch (error) { this.drawn.streamlines = null; this.tell(`Streamlines cannot be shown: ${error.message}`); }
    this.project();
  }

  sayLines() {
    const { lines, ends, through, outside, seconds: taken } = this.found, count = `${lines.length} streamline${lines.length === 1 ? "" : "s"}`;
    const found = Object.entries(ends).sort((a, b) => b[1] - a[1]), rest = found.slice(8).reduce((sum, [, n]) => sum + n, 0);
    const where = [...found.slice(0, 8).map(([end, n]) => `${n} ${end}`), ...(rest ? [`${rest} elsewhere`] : [])].join(", ");
    const time = taken ? `; ${through} through, in ${seconds(taken[0])} to ${seconds(taken[2])}, half of them in under ${seconds(taken[1])}` : "";
    this.tell(`${count}, seen along ${this.across}${lines.length ? `; ends: ${where}` : ""}${time}${outside ? `; ${outside} begin outside of the fluid` : ""}`);
  }

  get across() { return this.view.canvas.dataset.across ?? "z"; }

  /** A line in space as the picture sees it. */
  flat({ places }) {
    const axes = [...(this.view.canvas.dataset.axes ?? "xy")].map((axis) => "xyz".indexOf(axis));
    return { closed: false, places: Array.from({ length: (2 * places.length) / 3 }, (_, k) => places[3 * (k >> 1) + axes[k & 1]]) };
  }

  project() {
    this.drawn.streamlines = this.found ? streamlines(this.found.lines.map((line) => this.flat(line))) : null;
    this.draw();
  }

  cutMoved() {
    if (this.found) { this.sayLines(); this.project(); }
    this.allow?.();
    this.arrow();
  }

  /** A place on the picture, as coordinates in space where it is a cut. */
  inSpace([a, b]) {
    if (this.inPlane) return [a, b];
    const place = [0, 0, 0], [first, second] = [...this.view.canvas.dataset.axes];
    place["xyz".indexOf(first)] = a;
    place["xyz".indexOf(second)] = b;
    place["xyz".indexOf(this.across)] = Number(this.view.canvas.dataset.place);
    return place;
  }

  async arrow() {
    this.drawn.arrows = this.arrows.checked ? await arrows(this.view) : null;
    this.draw();
  }

  draw() {
    const marks = [...this.profiles, ...(this.start ? [{ title: "", places: [this.start, ...this.corners] }] : [])];
    const early = Boolean(this.view.canvas.dataset.moment);
    this.view.overlays = [early ? null : this.drawn.streamlines, early ? null : this.drawn.ways, early ? null : this.drawn.arrows, marks.length ? profileLines(marks) : null].filter(Boolean);
    this.view.draw();
  }

  tell(words) { this.say.textContent = words || "\u00a0"; }

  startProfile() {
    this.mode = "profile";
    this.start = null;
    this.corners = [];
    this.tell("Click the start of the line, then its end. Escape leaves.");
  }

  leave() { this.mode = null; this.start = null; this.corners = []; this.tell(""); this.draw(); }

  pick(place, corner = false) {
    if (this.mode === "profile") {
      if (!this.start) { this.start = place; this.tell("Now click the end of the line; with Shift, a corner on its way."); this.draw(); return; }
      if (corner) { this.corners.push(place); this.draw(); return; }
      const places = [this.start, ...this.corners, place].map((at) => this.inSpace(at));
      this.leave();
      addProfile(places, this.view.quantity);
      return;
    }
    if (this.begin.value === "by-click") { this.seeds.push(this.inSpace(place)); this.lines(); }
    if (this.begin.value === "by-line") {
      if (!this.start) { this.start = place; this.draw(); return; }
      const [a, b] = [this.start, place];
      this.seeds = Array.from({ length: 12 }, (_, k) => this.inSpace([0, 1].map((i) => a[i] + ((k + 0.5) / 12) * (b[i] - a[i]))));
      this.start = null;
      this.lines();
    }
  }
}

/** Asks for a plot of a quantity along a line from place to place in m. */
export function addProfile(places, quantity) {
  const form = document.getElementById("add-plot"), text = (v) => `${Number((1000 * v).toFixed(2))} mm`;
  form.elements.quantity.value = quantity;
  for (const [which, place] of [["start", places[0]], ["end", places.at(-1)]]) place.forEach((v, i) => { form.elements[`${which}_${"xyz"[i]}`].value = text(v); });
  form.elements.via.value = places.slice(1, -1).map((place) => place.map(text).join(", ")).join("; ");
  form.requestSubmit();
}

/** Calls `draw` with all lines of a page: those from corner to corner at once, others when their curves have been read. */
export function watchLines(root, draw) {
  const first = JSON.parse(root.querySelector("#profile-lines")?.dataset.lines ?? "[]");
  const all = () => draw([...first, ...[...(root.curvesRead ?? new Map()).values()].flat()]);
  root.addEventListener("curves-read", all);
  all();
}

/** Holding `b` shows another variant in the same view. */
export class Blink {
  constructor(root, pictures) {
    Object.assign(this, { pictures, view: pictures.views[0], choice: root.querySelector("#blink-with"), mine: null });
    this.who = root.querySelector("#blink-says");
    this.choice?.addEventListener("change", () => this.ready());
    this.ready();
  }

  /** Loads the other variant ahead, so that it flips without a wait. */
  async ready() {
    this.other = null;
    const option = this.choice?.selectedOptions[0];
    if (!option?.value) return;
    const canvas = Object.assign(document.createElement("canvas"), {});
    Object.assign(canvas.dataset, { mesh: option.dataset.mesh, values: option.dataset.values, readout: option.dataset.readout, run: option.dataset.run });
    const { cut, across, place } = this.view.canvas.dataset; // a cut that was moved is made of the other one at the same place
    if (cut) {
      const from = `${canvas.dataset.readout}/cut/${canvas.dataset.run}/${across}/${Number(place).toPrecision(9)}`;
      Object.assign(canvas.dataset, { cut, mesh: from, values: from });
    }
    this.at = this.view.canvas.dataset.mesh;
    const view = new FieldView(canvas, {});
    this.loading = (async () => {
      view.layer = await Layer.of(canvas.dataset.mesh);
      this.other = view;
    })();
    await this.loading.catch(() => {}); // said when it is asked for
  }

  async press() {
    if (this.mine || !this.choice?.value) return;
    const mine = (this.mine = this.view.take()), overlays = this.view.overlays;
    if (this.at !== this.view.canvas.dataset.mesh) this.ready();
    try { await this.loading; } catch (error) { this.mine = null; this.who.textContent = `${this.choice.selectedOptions[0].textContent} cannot be shown here: ${error.message}`; return; }
    await this.other.show(this.pictures.choice.value, this.pictures.choice.selectedOptions[0].dataset.madeOf ?? "");
    if (this.mine !== mine) return;
    this.overlays = overlays;
    this.view.overlays = [];
    this.view.put(this.other.take());
    this.who.textContent = this.choice.selectedOptions[0].textContent;
    this.view.canvas.closest(".paper").classList.add("blinking");
  }

  release() {
    if (!this.mine) return;
    const mine = this.mine;
    this.mine = null;
    if (this.overlays) this.view.overlays = this.overlays;
    this.overlays = null;
    this.view.put(mine);
    this.who.textContent = "";
    this.view.canvas.closest(".paper").classList.remove("blinking");
  }
}
