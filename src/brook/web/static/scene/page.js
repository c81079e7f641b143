// A result in space on the Results page: the canvas, its legend, what is under the pointer, and the layers beside it.

import { Legend } from "../legend.js";
import { pretty, rounded } from "../numbers.js";
import { SpaceView } from "../space/view.js";
import { place } from "../space/words.js";
import { addProfile, watchLines } from "../results.js";
import { Moments } from "../moments.js";
import { memory, optionOf, remember } from "../views.js";
import { piecesOf, watchWays } from "../ways.js";
import { savePicture, saveScene } from "./export.js";
import { Motes } from "./motes.js";
import { fill, levelWords, lookAt, lookOf, samplesOf, shapeOf } from "./scene.js";
import { Statements } from "./statements.js";

const MOVING = 220; // ms between two pictures of one that is dragged
const MOST_NAMES = 8; // of patches that are shown unasked

export class ScenePage {
  static async open(root) {
    const page = new ScenePage(root, root.querySelector("#scene-view"));
    await page.begin();
    return page;
  }

  constructor(root, holder) {
    const data = holder.dataset;
    Object.assign(this, { root, holder, data, source: { readout: data.readout, run: data.run }, held: null, mode: null, version: 0 });
    this.memoryKey = `scene ${data.view}`;
    this.choice = root.querySelector("#quantity");
    this.how = root.querySelector("#colour-how");
    this.strip = root.querySelector("#strip");
    this.tools = root.querySelector("#tool-says");
    this.view = new SpaceView(holder, { move: (hit) => this.say(hit), pick: (hit, event) => this.pick(hit, event), view: () => this.looked() });
    this.view.given = true;
    this.legend = new Legend(root.querySelector("#legend"), (range) => { this.held = [...range]; this.colour(); });
    const before = memory(this.memoryKey) ?? {}, plate = JSON.parse(root.querySelector("#plate-shown")?.dataset.plate ?? "null");
    this.layers = before.layers ?? [this.usualCut()];
    this.shell = before.shell ?? true;
    this.names = before.names;
    this.how.value = before.how ?? "smooth";
    const quantity = memory("quantity results");
    if (quantity && [...this.choice.options].some((o) => o.value === quantity)) this.choice.value = quantity;
    this.look = before.look ?? null;
    if (plate?.layers.length) this.take(plate);
    this.statements = new Statements(this, root.querySelector("#layers"));
    this.motes = new Motes(this);
    this.listen();
  }

  /** A cut where the result is cut when nothing else is asked for. */
  usualCut() {
    const { across, place: at } = this.data, k = "xyz".indexOf(across), through = [0, 0, 0], way = [0, 0, 0];
    through[k] = Number(at);
    way[k] = 1;
    return { kind: "cut", through, across: way };
  }

  /** Sets the page to a kept plate. */
  take(plate) {
    if ([...this.choice.options].some((o) => o.value === plate.quantity)) this.choice.value = plate.quantity;
    Object.assign(this, { layers: plate.layers, look: plate.look, held: plate.range });
    this.how.value = plate.colours;
    this.takenAway = plate.less;
  }

  listen() {
    const { root, view } = this, find = (id) => root.querySelector(`#${id}`);
    for (const button of root.querySelectorAll(".look-from")) button.onclick = (event) => view.look(event.shiftKey && button.dataset.look !== "o" ? `-${button.dataset.look}` : button.dataset.look);
    find("fit").onclick = () => view.fit();
    find("reset-range").onclick = () => { this.held = null; this.show(); };
    this.choice.onchange = () => { this.held = null; remember("quantity results", this.choice.value); this.show(); };
    this.how.onchange = () => { this.held = null; this.keep(); this.show(); };
    this.less = find("less");
    if (this.takenAway !== undefined) {
      const there = [...(this.less?.options ?? [])].find((o) => o.value && o.value === this.takenAway);
      if (there) { this.less.value = there.value; this.source.less = { name: there.value, run: there.dataset.run }; }
      else if (this.takenAway) this.tell(`The plate is less ${this.takenAway}, which ${this.takenAway === this.data.readout.split("/").at(-1) ? "is this variant itself" : "has no result"}; the quantity itself is shown.`);
    } else if (this.less && [...this.less.options].some((o) => o.value && o.value === memory(this.memoryKey)?.less)) { this.less.value = memory(this.memoryKey).less; this.source.less = { name: this.less.value, run: this.less.selectedOptions[0].dataset.run }; }
    if (this.less) this.less.onchange = () => { const { value, selectedOptions: [{ dataset }] } = this.less; this.source.less = value ? { name: value, run: dataset.run } : null; this.held = null; this.keep(); this.show(); };
    for (const [id, name, does] of [["show-shell", "shell", () => this.walls()], ["show-labels", "names", () => view.showNames(this.names)]]) {
      const box = find(id);
      box.checked = this[name];
      box.onchange = () => { this[name] = box.checked; this.keep(); does(); };
    }
    find("perspective").onchange = (event) => { view.camera.perspective = event.target.checked; view.moved(); };
    find("profile").onclick = () => this.startProfile();
    const moments = find("moments") ? new Moments(find("moments"), (moment) => { this.source.moment = moment; return this.show(); }, () => { this.held ??= this.legend.map ? [...this.legend.colours.range] : null; }) : null;
    this.play = moments ? () => moments.press() : null;
    find("scene-picture").onclick = () => savePicture(this);
    find("scene-file").onclick = () => saveScene(this).catch((error) => this.tell(`No scene: ${error.message}.`));
    addEventListener("pagehide", () => { if (this.shape && this.holder.isConnected) this.keep(); });
    find("keep-view")?.addEventListener("htmx:configRequest", (event) => {
      event.detail.path = event.detail.path.replace(/add_plate$/, "add_plate_in_space");
      Object.assign(event.detail.parameters, { quantity: this.choice.value, range: this.held ? this.held.join(",") : "", picture: JSON.stringify({ layers: this.layers, look: this.shape ? lookOf(view) : this.look, colours: this.how.value, less: this.source.less?.name ?? "" }) });
    });
  }

  async begin() {
    this.holder.dataset.state = "loading";
    this.statements.holder.inert = true; // until there is something that can be cut
    try {
      this.shape = await shapeOf(this.source);
    } catch (error) { this.holder.dataset.state = "failed"; this.problem(error.message); return; }
    this.statements.holder.inert = false;
    this.statements.draw();
    this.names ??= this.shape.data.patches.length <= MOST_NAMES;
    this.root.querySelector("#show-labels").checked = this.names;
    this.view.put(this.shape);
    this.view.resize();
    if (this.look) lookAt(this.view, this.look); else this.view.fit();
    this.root.querySelector("#perspective").checked = this.view.camera.perspective;
    this.view.showNames(this.names);
    this.walls();
    watchLines(this.root, (lines) => this.profiles(lines));
    watchWays(this.root, (ways) => { this.shape.draw("ways", piecesOf(ways), "#5b3a72"); this.view.moved(); });
    await this.show();
    if (this.shape.large) fill(this.shape, this.source, [this.usualCut()], { ...this.colouredBy, coarse: true }).catch(() => {}); // so that the result is read before somebody drags
  }

  /** The boundary seen from inside, or its edges alone. */
  walls() { this.view.hide(this.shell ? new Set() : new Set(this.shape.data.patches.map((p) => p.name))); this.view.names(); }

  get colouredBy() { return { quantity: this.choice.value, madeOf: this.choice.selectedOptions[0].dataset.madeOf, usual: JSON.stringify(this.usualCut()) }; }

  // -- layers -----------------------------------------------------------------------------------

  keep() { remember(this.memoryKey, { layers: this.layers, shell: this.shell, names: this.names, how: this.how.value, less: this.less?.value ?? "", look: this.shape ? lookOf(this.view) : this.look }); }

  looked() {
    clearTimeout(this.writing);
    this.writing = setTimeout(() => { if (this.shape && this.holder.isConnected) this.keep(); }, 250);
  }

  change(layers) {
    const other = layers.length !== this.layers.length;
    this.layers = layers;
    if (other) this.keep(); else this.looked(); // one that is dragged is kept when it rests
    return this.show();
  }

  /** Works out and draws what is asked for; of many wishes in a row always the newest. */
  async show() {
    this.wanted = true;
    if (this.busy) return this.busy;
    this.busy = (async () => {
      while (this.wanted && this.shape) {
        this.wanted = false;
        const late = setTimeout(() => this.tell("The picture is being worked out …"), 400);
        const begun = performance.now(), quick = this.legend.map && begun - (this.last ?? -1e9) < MOVING, coarse = quick && this.shape.large;
        const put = await fill(this.shape, this.source, this.layers, { ...this.colouredBy, coarse });
        clearTimeout(late);
        if (!this.holder.isConnected) return;
        if (this.tools.textContent.startsWith("The picture")) this.tell("");
        this.told = put();
        this.last = performance.now();
        clearTimeout(this.resting);
        if (quick) this.resting = setTimeout(() => (coarse ? this.show() : this.rest()), MOVING + 30); // while it is dragged colours keep their meaning
        else this.rest();
        this.statements.grip();
        this.holder.dataset.pictures = `${(this.version += 1)}`;
        this.root.dataset.drawn = this.choice.value;
        this.holder.dataset.state = "shown";
        this.view.later();
        this.view.moved();
      }
    })();
    try { await this.busy; } finally { this.busy = null; }
  }

  /** What is said of a picture once it stands. */
  rest() {
    if (!this.holder.isConnected) return;
    this.legendOf();
    this.statements.tell(this.told);
    this.motes.follow();
  }

  /** The quantity with its unit; a difference has one that begins at nothing. */
  get option() {
    const option = this.plainOption;
    if (!this.source.less) return option;
    const words = `${option.words}, less ${this.less.selectedOptions[0].textContent}`;
    return option.shift ? { ...option, words, signed: true, unit: "K", shift: 0 } : { ...option, words, signed: true };
  }

  get plainOption() { return optionOf(this.choice.selectedOptions[0], () => Math.max(0, ...samplesOf(this.shape).map((s) => Math.max(Math.abs(s.low), Math.abs(s.high))).filter(Number.isFinite))); }

  legendOf() {
    const samples = samplesOf(this.shape);
    if (samples.length) {
      const { option } = this;
      this.unit = option;
      this.legend.set(samples, { ...option, map: option.signed ? "signed" : "even", how: this.how.value }, this.held);
    } else { this.unit = this.option; this.legend.clear(); }
    this.colour();
  }

  colour() {
    const colours = this.legend.map ? this.legend.colours : { map: "even", range: [0, 1] };
    this.shape.colours = { ...colours, version: (this.coloured = (this.coloured ?? 0) + 1) };
    const notes = [...this.shape.layers.values()].flatMap((layer) => layer.labels ?? []);
    this.view.marks.setNotes(notes.map(({ at, value }) => ({ at, words: levelWords(value, this.unit) })));
    this.view.later();
  }

  // -- pointing ---------------------------------------------------------------------------------

  say(hit) {
    if (!hit) { this.strip.textContent = "\u00a0"; return; }
    const { words, unit, factor, shift } = this.unit ?? this.option;
    const what = hit.layer === undefined ? this.shape.data.patches[hit.patch].name : hit.value === undefined ? "" : `${words} ${rounded(hit.value * factor + shift)} ${pretty(unit)}`;
    this.strip.textContent = `${place(this.view.inMetres(hit.at))}${what ? ` · ${what}` : ""}`;
  }

  tell(words) { this.tools.textContent = words || "\u00a0"; }

  pick(hit, event) {
    if (!this.mode) return;
    if (!hit) { this.tell("There is nothing under the pointer; click on something that is drawn. Escape leaves."); return; }
    this.mode(this.view.inMetres(hit.at), hit, event);
  }

  leave() { this.mode = null; this.holder.classList.remove("picking"); this.tell(""); }

  /** Asks for clicks: `take` gets each place in m. */
  ask(words, take) {
    this.mode = take;
    this.holder.classList.add("picking");
    this.tell(`${words} Escape leaves.`);
  }

  /** A curve along a line between two places that are clicked. */
  startProfile() {
    const places = [];
    this.ask("Click the start of the line, then its end.", (at, hit, event) => {
      places.push(at);
      if (places.length === 1) { this.tell("Now click the end of the line; with Shift, a corner on its way. Escape leaves."); return; }
      if (event?.shiftKey) return;
      this.leave();
      addProfile(places, this.choice.value);
    });
  }

  /** The lines of plots, seen through what lies before them. */
  profiles(lines) {
    this.shape.draw("profiles", lines.flatMap(({ places }) => places.slice(1).map((at, k) => [...places[k], ...at])), "#b4532a");
    this.view.moved();
  }

  close() { clearTimeout(this.resting); clearTimeout(this.writing); this.view.close(); }

  problem(text) {
    const note = Object.assign(document.createElement("p"), { className: "note bad picture-problem", textContent: `The picture cannot be shown: ${text}` });
    note.setAttribute("role", "alert");
    this.holder.closest(".paper").before(note);
  }

  key(event) {
    const looks = { x: "x", y: "y", z: "z", X: "-x", Y: "-y", Z: "-z", o: "o" };
    if (looks[event.key]) this.view.look(looks[event.key]);
    else if (event.key === "f") this.view.fit();
    else if (event.key === "l") this.root.querySelector("#show-labels").click();
    else if (event.key === "Escape" && this.mode) this.leave();
    else return false;
    return true;
  }

  // -- another variant in the same view -----------------------------------------------------------

  async press() {
    const option = this.root.querySelector("#blink-with")?.selectedOptions[0];
    if (this.mine || !option?.value || !this.shape) return;
    const mine = (this.mine = this.shape), says = this.root.querySelector("#blink-says"), source = { readout: option.dataset.readout, run: option.dataset.run };
    try {
      const other = await shapeOf(source), told = (await fill(other, source, this.layers, this.colouredBy))();
      if (this.mine !== mine) return;
      other.colours = mine.colours;
      this.view.put(other);
      this.view.moved();
      const missing = told.filter((one) => one.error);
      says.textContent = missing.length ? `${option.textContent}: ${missing[0].error}` : option.textContent;
      this.holder.closest(".paper").classList.add("blinking");
    } catch (error) { this.mine = null; says.textContent = `${option.textContent} cannot be shown here: ${error.message}`; }
  }

  release() {
    if (!this.mine) return;
    const mine = this.mine;
    this.mine = null;
    if (this.view.shape !== mine) { this.view.put(mine); this.colour(); }
    this.view.moved();
    this.root.querySelector("#blink-says").textContent = "";
    this.holder.closest(".paper").classList.remove("blinking");
  }
}
