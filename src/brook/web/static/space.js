// The page of a shape in space: the canvas with its toolbar, the sheet beside it, and the address that keeps the view.

import { memory, remember } from "./views.js";
import { Legend } from "./legend.js";
import { Away } from "./space/away.js";
import { Picking } from "./space/picking.js";
import { SpaceView } from "./space/view.js";
import { Statements } from "./space/sayings.js";
import { length, place } from "./space/words.js";

const RUST = "#b4532a", OCHRE = "#c8962e";
let page = null;

/** Opens the shape of a page, or brings one that is open already up to date. */
export async function openSpace(root) {
  const holder = root.querySelector("#space-view"), data = root.querySelector("#space-data");
  if (!holder || !data) { page = null; return null; }
  if (!page || page.holder !== holder) page = new SpacePage(holder);
  await page.attach(root, data);
  return page;
}

export function spaceKey(event) { return page?.holder.isConnected ? page.key(event) : false; }

class SpacePage {
  constructor(holder) {
    this.holder = holder;
    this.view = new SpaceView(holder, {
      move: (hit) => this.say(hit), pick: (hit, event) => this.picking?.pick(hit, event), box: (inside) => this.picking?.boxed(inside), view: () => this.remember(), cut: () => { this.slider.value = 1000 * this.view.cutShare; },
    });
    const state = new URLSearchParams(location.search);
    const camera = state.get("view") ?? memory(this.memoryKey);
    if (camera) { this.view.camera.text = camera; this.view.given = true; }
    this.view.hidden = new Set((state.get("hide") ?? "").split(",").filter(Boolean));
    const [axis, share] = (state.get("cut") ?? "").split(":");
    if ("xyz".includes(axis) && axis) Object.assign(this.view, { cutAxis: axis, cutShare: Number(share) || 0.5 });
    this.finding = { kind: -1, place: -1 };
  }

  get memoryKey() { return `space ${document.body.dataset.slug}`; }

  async attach(root, data) {
    const turn = (this.turn = (this.turn ?? 0) + 1); // of two that overlap only the later goes on
    this.holder.dataset.state = "loading";
    Object.assign(this, { root, data: data.dataset });
    this.strip = root.querySelector("#strip");
    this.slider = root.querySelector("#cut-at");
    this.tools();
    this.rows();
    this.findings();
    this.openings();
    this.forms();
    this.picking = this.data.picks ? new Statements(this) : new Picking(this);
    if ((new URLSearchParams(location.search).get("try") ?? "") !== this.data.trial) this.remember();
    if (!this.data.view) { this.holder.dataset.state = "empty"; return; }
    const told = JSON.parse(this.data.view);
    try {
      await this.view.show(told);
    } catch (error) {
      if (turn !== this.turn) return;
      this.holder.dataset.state = "failed";
      root.querySelector("#tool-says").textContent = `The picture cannot be shown: ${error.message}`;
      return;
    }
    if (turn !== this.turn) return;
    this.view.shape.draw("openings", told.openings.flatMap((o) => segments(o.line)), OCHRE);
    this.leak();
    this.distances();
    await this.fresh();
    if (turn !== this.turn) return;
    if (this.finding.kind >= 0) this.showFinding(false);
    this.view.later();
    this.holder.dataset.state = "shown";
  }

  /** What is new after a step that is tried. */
  async fresh() {
    this.view.shape.lay("fresh", null);
    if (!this.data.trial || !JSON.parse(this.data.view).before) return;
    const answer = await fetch(`${this.data.page}/fresh?try=${encodeURIComponent(this.data.trial)}`);
    if (!answer.ok) return;
    const mask = new Uint8Array(await answer.arrayBuffer()), triangles = [];
    mask.forEach((is, k) => { if (is) triangles.push(k); });
    this.view.shape.lay("fresh", triangles, OCHRE);
  }

  /** Shows the page as it would be with a step more. */
  try(step) {
    const text = JSON.stringify(step), search = new URLSearchParams(location.search);
    search.set("try", text);
    htmx.ajax("GET", `${this.data.page}?part=body&try=${encodeURIComponent(text)}`, { source: "#stage", target: "#stage", swap: "outerHTML" }).then(() => history.replaceState(null, "", `${location.pathname}?${search}`));
  }

  /** Does a named action. */
  act(action, values) {
    const state = Object.fromEntries([...document.querySelectorAll("#page-state input")].map((i) => [i.name, i.value]));
    htmx.ajax("POST", `/studies/${this.data.study}/act/${action}`, { source: "#stage", target: "#stage", swap: "outerHTML", values: { ...state, variant: this.data.variant, error_at: "picked", ...values } });
  }

  remember() {
    remember(this.memoryKey, this.view.camera.text);
    clearTimeout(this.writing);
    this.writing = setTimeout(() => {
      if (!this.holder.isConnected) return;
      const search = new URLSearchParams(location.search);
      search.set("view", this.view.camera.text);
      const put = (key, text) => (text ? search.set(key, text) : search.delete(key));
      put("hide", [...this.view.hidden].join(","));
      put("cut", this.view.cutAxis && `${this.view.cutAxis}:${this.view.cutShare.toFixed(3)}`);
      put("try", this.data.trial);
      history.replaceState(history.state, "", `${location.pathname}?${search.toString().replaceAll("%2C", ",").replaceAll("%3A", ":")}`);
    }, 250);
  }

  say(hit) {
    const { view } = this;
    const patch = hit ? view.shape.data.patches[hit.patch] : null;
    this.strip.textContent = hit ? `${place(view.inMetres(hit.at))} · ${patch.name}, ${patch.words}${this.away?.at(hit) ?? ""}` : "\u00a0";
    if (view.shape && view.shape.count < 400000 && this.lit !== patch?.name) { this.lit = patch?.name; view.light(this.lit ?? ""); }
    for (const row of this.root.querySelectorAll("[data-patch]")) row.classList.toggle("lit", row.dataset.patch === patch?.name);
  }

  // -- toolbar and sheet ----------------------------------------------------------------------

  tools() {
    const { view } = this, find = (id) => this.root.querySelector(`#${id}`);
    for (const button of this.root.querySelectorAll(".look-from")) button.onclick = (event) => view.look(event.shiftKey && button.dataset.look !== "o" ? `-${button.dataset.look}` : button.dataset.look);
    find("fit").onclick = () => view.fit();
    const edges = find("show-edges"), names = find("show-labels"), perspective = find("perspective"), axis = find("cut-axis");
    edges.checked = view.edgesShown;
    names.checked = view.namesShown;
    perspective.checked = view.camera.perspective;
    axis.value = view.cutAxis;
    this.slider.value = 1000 * view.cutShare;
    this.slider.hidden = !view.cutAxis;
    edges.onchange = () => view.showEdges(edges.checked);
    names.onchange = () => view.showNames(names.checked);
    perspective.onchange = () => { view.camera.perspective = perspective.checked; view.moved(); };
    axis.onchange = () => { this.slider.hidden = !axis.value; view.setCut(axis.value, view.cutShare); this.remember(); };
    this.slider.oninput = () => view.setCut(axis.value, this.slider.value / 1000);
    find("picture").onclick = () => this.picture();
  }

  picture() {
    this.view.draw(true);
    const link = Object.assign(document.createElement("a"), { download: `${this.data.name}.png`, href: this.view.canvas.toDataURL("image/png") });
    link.click();
  }

  rows() {
    const { view } = this, rows = [...this.root.querySelectorAll("#patch-rows tr")];
    const mark = () => { for (const row of rows) { const off = view.hidden.has(row.dataset.patch), button = row.querySelector(".hide-patch"); row.classList.toggle("hidden-patch", off); button.textContent = off ? "show" : "hide"; button.setAttribute("aria-pressed", off); } };
    this.hide = (names) => { view.hide(names); mark(); };
    this.names = rows.map((row) => row.dataset.patch);
    for (const row of rows) {
      const name = row.dataset.patch;
      row.querySelector(".hide-patch").onclick = () => { const next = new Set(view.hidden); if (!next.delete(name)) next.add(name); this.hide(next); };
      row.querySelector(".alone-patch").onclick = () => this.hide(new Set(this.names.filter((n) => n !== name)));
      row.onpointerenter = () => view.light(name);
      row.onpointerleave = () => view.light("");
    }
    const all = this.root.querySelector("#show-all");
    if (all) all.onclick = () => this.hide(new Set());
    mark();
  }

  findings() {
    this.kinds = [...this.root.querySelectorAll("button.finding")];
    this.kinds.forEach((button, k) => { button.onclick = () => this.next(k); });
    const key = this.data.view ? JSON.parse(this.data.view).key : "";
    if (key === this.findingKey && (this.finding.kind < 0 || this.kinds[this.finding.kind])) return; // the same shape once more: what is looked at stays
    this.findingKey = key;
    this.finding = { kind: -1, place: -1 };
    this.view.marks.point(null);
    this.view.shape?.draw("finding", [], RUST);
    this.view.shape?.lay("finding", null);
  }

  /** Walks to the next place of a kind of finding, or on through all kinds. */
  next(kind = null) {
    if (!this.kinds.length || !this.view.shape) return;
    const here = this.finding;
    if (kind !== null) Object.assign(here, { place: kind === here.kind ? here.place + 1 : 0, kind });
    else if (here.kind < 0) Object.assign(here, { kind: 0, place: 0 });
    else here.place += 1;
    if (here.place >= JSON.parse(this.kinds[here.kind].dataset.places).length) {
      here.place = 0;
      if (kind === null) here.kind = (here.kind + 1) % this.kinds.length;
    }
    this.showFinding(true);
  }

  /** Shows the place that was walked to; looks at it when `go`. */
  showFinding(go) {
    const here = this.finding, places = JSON.parse(this.kinds[here.kind].dataset.places);
    const found = places[here.place], { shape } = this.view;
    if (!found || !shape) return;
    for (const [k, button] of this.kinds.entries()) {
      button.toggleAttribute("data-here", k === here.kind);
      button.parentElement.querySelector(".finding-at").textContent = k === here.kind ? `${here.place + 1} of ${places.length}: ${found.words}` : "";
    }
    shape.draw("finding", found.edges, RUST);
    shape.lay("finding", shape.drawnOrder(found.triangles), RUST);
    this.view.marks.point(new this.view.camera.target.constructor(...found.centre.map((v, i) => v - shape.middle[i])), found.words);
    if (go) this.view.goTo(found.centre, Math.max(found.size, 1e-3 * this.view.camera.size));
  }

  openings() {
    const told = this.data.view ? JSON.parse(this.data.view).openings : [];
    const rims = told.filter((o) => !o.slit);
    for (const form of this.root.querySelectorAll("form.opening")) {
      const rim = rims[Number(form.dataset.opening)];
      form.querySelector(".show-opening").onclick = () => this.showRim(rim);
      form.querySelector(".fill-opening").onclick = (event) => { this.showRim(rim); this.try(JSON.parse(event.target.dataset.step)); };
    }
  }

  showRim(rim) {
    this.view.shape.draw("finding", segments(rim.line), RUST);
    this.view.marks.point(new this.view.camera.target.constructor(...rim.centre.map((v, i) => v - this.view.shape.middle[i])), rim.words);
    this.view.goTo(rim.centre, rim.across);
  }

  /** The way that water takes out of a wrap, and where it is narrowest. */
  /** A key lays over the shape how far it lies from what is wrapped, or from the wrap. */
  distances() {
    const button = this.root.querySelector("#show-away"), holder = this.root.querySelector("#legend"), says = this.root.querySelector("#tool-says");
    this.away = new Away(this.view, new Legend(holder, () => this.away.colour()), (words) => { says.textContent = words || "\u00a0"; });
    if (!button) { if (this.away.shown) this.away.hide(); return; }
    const mark = () => button.setAttribute("aria-pressed", this.away.shown);
    const show = async () => {
      says.textContent = "measuring …";
      await this.away.show(`${this.data.page}/away?try=${encodeURIComponent(this.data.trial)}`, button.dataset.words);
      mark();
    };
    if (this.away.shown || this.awayWanted) show(); else mark();
    button.onclick = () => {
      this.awayWanted = !this.away.shown;
      if (this.awayWanted) show(); else { this.away.hide(); mark(); }
    };
  }

  leak() {
    const button = this.root.querySelector("#show-leak");
    if (!button) {
      this.view.shape.draw("leak", [], RUST);
      if (this.leakLooked) this.view.marks.point(null);
      this.leakLooked = false;
      return;
    }
    const { path, at, width } = JSON.parse(button.dataset.leak);
    this.view.shape.draw("leak", path.slice(1).map((b, k) => [...path[k], ...b]), RUST);
    button.onclick = () => {
      this.leakLooked = true;
      this.view.marks.point(new this.view.camera.target.constructor(...at.map((v, i) => v - this.view.shape.middle[i])), `leak, about ${length(width)} wide`);
      this.view.goTo(at, 2 * width);
    };
  }

  forms() {
    const form = this.root.querySelector(".try-step");
    if (form) form.onsubmit = (event) => { event.preventDefault(); this.try(JSON.parse(form.querySelector("#try-step").value)); };
  }

  key(event) {
    const looks = { x: "x", y: "y", z: "z", X: "-x", Y: "-y", Z: "-z", o: "o" };
    const { view } = this;
    if (looks[event.key]) view.look(looks[event.key]);
    else if (event.key === "n") this.next();
    else if (event.key === "t") this.root.querySelector("#show-edges").click();
    else if (event.key === "l") this.root.querySelector("#show-labels").click();
    else if (event.key === "a") this.hide(new Set());
    else if (event.key === "h" && this.lit) this.hide(new Set([...view.hidden, this.lit]));
    else if (event.key === "s" && this.lit) this.hide(new Set(this.names.filter((n) => n !== this.lit)));
    else if (event.key === "c") { const axis = this.root.querySelector("#cut-axis"); axis.value = { "": "x", x: "y", y: "z", z: "" }[axis.value]; axis.onchange(); }
    else if (event.key === "Escape") this.picking.leave();
    else return false;
    return true;
  }
}

function segments(line) { return line.map((a, k) => [...a, ...line[(k + 1) % line.length]]); }
