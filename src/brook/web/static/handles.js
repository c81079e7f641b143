// Drawing by hand: handles on every dimension of the shape. A drag shows the shape as it would be; letting go is one step.

const SVG = "http://www.w3.org/2000/svg";
const KEY_WAIT = 700;
const ALONG_X = "M-7 0L-2 -5V5ZM7 0L2 -5V5Z", ALONG_Y = "M0 -7L-5 -2H5ZM0 7L-5 2H5Z";
const DEGREE = Math.PI / 180;

export class Handles {
  constructor(holder) {
    this.holder = holder;
    this.svg = holder.querySelector("svg.drawing");
    this.handles = JSON.parse(holder.dataset.handles);
    this.says = document.getElementById("drag-says");
    if (!this.svg || !this.handles.length) return;
    const { x0, y0, scale, top, left } = this.svg.dataset;
    Object.assign(this, { x0: Number(x0), y0: Number(y0), scale: Number(scale), top: Number(top), left: Number(left) });
    this.thumbnail = document.querySelector(".variants a[aria-current] .chip-thumb");
    this.layer = document.createElementNS(SVG, "g");
    this.layer.setAttribute("class", "handles");
    this.svg.setAttribute("role", "group");
    this.svg.append(this.layer);
    this.marks = this.handles.map((handle, k) => this.mark(handle, k));
    this.busy = false;
  }

  pixel(handle) {
    // handles of edges stand a little outside, so that both sides of a thin baffle can be taken
    const away = { left: [-12, 0], right: [12, 0], bottom: [0, 10], top: [0, -10] }[handle.name.split(" ")[0]] ?? [0, 0];
    const edge = handle.name.includes(" edge of ");
    return [this.left + (handle.x - this.x0) * this.scale + (edge ? away[0] : 0), this.top + (this.y0 - handle.y) * this.scale + (edge ? away[1] : 0)];
  }

  mark(handle, k) {
    const mark = document.createElementNS(SVG, "g"), [x, y] = this.pixel(handle);
    const move = handle.axis === "xy" ? handle.name.startsWith("centre") : / (sideways|up and down)$/.test(handle.name), shape = document.createElementNS(SVG, "path");
    const lift = move && handle.axis === "y" ? 14 : 0;
    shape.setAttribute("d", { x: ALONG_X, y: ALONG_Y, xy: "M-4.5 0L0 -4.5L4.5 0L0 4.5Z" }[handle.axis] ?? ALONG_X);
    if (handle.centre) shape.setAttribute("transform", `rotate(${this.bearing(handle) + (handle.axis === "turn" ? 90 : 0)})`);
    const reach = document.createElementNS(SVG, "circle");
    reach.setAttribute("r", 9);
    mark.append(reach, shape);
    for (const [key, value] of Object.entries({ class: `handle${handle.shared ? " shared" : ""}${move ? " move" : ""}`, transform: `translate(${x} ${y + lift})`, tabindex: 0, role: "slider", "aria-label": `${handle.name}: changes ${handle.label}`, "data-handle": handle.name, "aria-valuenow": (1000 * handle.leaves[0].value).toPrecision(6), "aria-valuetext": handle.leaves.map((l) => l.text).join(", "), "aria-valuemin": -1e6, "aria-valuemax": 1e6 })) mark.setAttribute(key, value);
    const title = document.createElementNS(SVG, "title");
    title.textContent = `${handle.name}: changes ${handle.label}${handle.shared ? ", in all variants" : ""}`;
    mark.append(title);
    mark.addEventListener("pointerdown", (event) => this.drag(event, handle, k));
    mark.addEventListener("keydown", (event) => this.key(event, handle, k));
    this.layer.append(mark);
    return mark;
  }

  /** A round step of at least four pixels, in m. */
  get step() {
    const raw = 4 / this.scale, power = 10 ** Math.floor(Math.log10(raw));
    return [1, 2, 5, 10].map((f) => f * power).find((s) => s >= raw * 0.999);
  }

  /** The nearest place to snap to: another edge within six pixels, else the next round step. */
  snap(place, handle, axis) {
    const lines = this.handles.filter((h) => h !== handle && h.axis.includes(axis)).map((h) => h[axis]);
    const near = lines.filter((v) => Math.abs(v - place) * this.scale < 6).sort((a, b) => Math.abs(a - place) - Math.abs(b - place))[0];
    return near ?? Math.round(place / this.step) * this.step;
  }

  /** Which way a handle looks from its centre, in degrees of the screen. */
  bearing(handle) { return -Math.atan2(handle.y - handle.centre[1], handle.x - handle.centre[0]) / DEGREE; }

  /** The texts that a drag by so much along each axis gives. */
  texts(handle, by) {
    return handle.leaves.map((leaf) => `${Number(((leaf.value + leaf.slope * (by[leaf.axis] ?? 0)) / leaf.factor).toPrecision(7))} ${leaf.unit}`);
  }

  /** How far a drag from one place to another goes along each axis of a handle, snapped unless it is to be `exact`. */
  moved(handle, from, to, exact) {
    const by = {};
    if (handle.axis === "turn") {
      const angle = (p) => Math.atan2(p[1] - handle.centre[1], p[0] - handle.centre[0]);
      const raw = angle(to) - angle([handle.x, handle.y]), turn = raw - 2 * Math.PI * Math.round(raw / (2 * Math.PI));
      const end = handle.leaves[0].value + turn, step = 5 * DEGREE;
      by.turn = exact ? turn : Math.round(end / step) * step - handle.leaves[0].value;
    } else if (handle.axis === "away") {
      const far = (p) => Math.hypot(p[0] - handle.centre[0], p[1] - handle.centre[1]);
      const raw = far(to) - far([handle.x, handle.y]);
      by.away = exact ? raw : Math.round(raw / this.step) * this.step;
    } else for (const [k, axis] of [...handle.axis].map((a) => [a === "x" ? 0 : 1, a])) {
      const place = handle[axis] + to[k] - from[k];
      by[axis] = (exact ? place : this.snap(place, handle, axis)) - handle[axis];
    }
    return by;
  }

  /** Where a handle stands after a drag, in px. */
  after(handle, by) {
    const [x, y] = this.pixel(handle);
    if (!handle.centre) return [x + (by.x ?? 0) * this.scale, y - (by.y ?? 0) * this.scale];
    const angle = -this.bearing(handle) * DEGREE + (by.turn ?? 0);
    const far = Math.hypot(handle.x - handle.centre[0], handle.y - handle.centre[1]) + (by.away ?? 0);
    return [this.left + (handle.centre[0] + far * Math.cos(angle) - this.x0) * this.scale, this.top + (this.y0 - handle.centre[1] - far * Math.sin(angle)) * this.scale];
  }

  drag(event, handle, k) {
    event.preventDefault();
    const mark = this.marks[k];
    mark.focus();
    mark.setPointerCapture(event.pointerId);
    const at = (e) => {
      const point = new DOMPoint(e.clientX, e.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      return [this.x0 + (point.x - this.left) / this.scale, this.y0 - (point.y - this.top) / this.scale];
    };
    const begun = at(event);
    const move = (e) => this.show(handle, k, this.moved(handle, begun, at(e), e.altKey));
    const end = () => {
      for (const [kind, listener] of [["pointermove", move], ["pointerup", end], ["pointercancel", cancel]]) mark.removeEventListener(kind, listener);
      removeEventListener("keydown", escape, true);
      mark.classList.remove("dragged");
      this.commit(handle);
    };
    const cancel = () => { this.by = null; end(); this.reset(); };
    const escape = (e) => { if (e.key === "Escape") { e.stopPropagation(); cancel(); } };
    this.by = null;
    mark.classList.add("dragged");
    mark.addEventListener("pointermove", move);
    mark.addEventListener("pointerup", end);
    mark.addEventListener("pointercancel", cancel);
    addEventListener("keydown", escape, true);
  }

  key(event, handle, k) {
    const sign = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: 1, ArrowDown: -1 }[event.key];
    const pressed = /Left|Right/.test(event.key) ? "x" : "y";
    const axis = handle.centre ? handle.axis : handle.axis.includes(pressed) ? pressed : null;
    if (event.key === "Enter" && this.by) { event.preventDefault(); this.commit(handle); return; }
    if (event.key === "Escape" && this.by) { event.preventDefault(); event.stopPropagation(); this.by = null; clearTimeout(this.later); this.reset(); return; }
    if (!sign || !axis) return;
    event.preventDefault();
    event.stopPropagation();
    if (this.active !== handle) this.by = null;
    this.active = handle;
    const least = axis === "turn" ? DEGREE : 10 ** Math.floor(Math.log10(this.step));
    this.show(handle, k, { ...this.by, [axis]: (this.by?.[axis] ?? 0) + sign * least * (event.shiftKey ? 10 : 1) });
    clearTimeout(this.later);
    this.later = setTimeout(() => this.commit(handle), KEY_WAIT);
  }

  /** Shows the shape after a drag by so much. */
  async show(handle, k, by) {
    this.by = by;
    const texts = this.texts(handle, by);
    const words = handle.leaves.map((leaf, i) => `${leaf.pointer.split("/").pop().replaceAll("_", " ")} ${texts[i]}`).join(", ");
    this.marks[k].setAttribute("transform", `translate(${this.after(handle, by).join(" ")})`);
    this.marks[k].setAttribute("aria-valuetext", texts.join(", "));
    this.label(this.marks[k], words);
    this.tell(`${handle.name}: ${words}${handle.shared ? " (in all variants)" : ""}`);
    this.wanted = { handle, texts };
    if (this.busy) return;
    this.busy = true;
    while (this.wanted) {
      const { handle: of, texts: now } = this.wanted;
      this.wanted = null;
      const form = new FormData();
      of.leaves.forEach((leaf, i) => { form.append("pointer", leaf.pointer); form.append("value", now[i]); });
      const box = this.svg.viewBox.baseVal;
      for (const v of [this.x0, this.y0, this.scale, this.left, this.top, box.width, box.height]) form.append("frame", v);
      try {
        const answer = await fetch(this.holder.dataset.preview, { method: "POST", body: form });
        this.take(await answer.json());
      } catch { this.tell("Brook does not answer; let go to try again."); }
    }
    this.busy = false;
  }

  take({ drawing, thumbnail, problem }) {
    this.holder.classList.toggle("refused", Boolean(problem));
    if (problem) { this.tell(`This cannot be: ${problem}`); return; }
    const made = new DOMParser().parseFromString(drawing, "text/html").querySelector("svg");
    for (const child of [...this.svg.children]) if (child !== this.layer) child.remove();
    this.svg.prepend(...made.children);
    if (this.thumbnail) this.thumbnail.replaceChildren(new DOMParser().parseFromString(thumbnail, "text/html").querySelector("svg"));
  }

  label(mark, words) {
    let text = this.layer.querySelector("text");
    if (!text) { text = document.createElementNS(SVG, "text"); this.layer.append(text); }
    text.textContent = words;
    const [x, y] = mark.getAttribute("transform").match(/-?[\d.]+(e-?\d+)?/g).map(Number), wide = this.svg.viewBox.baseVal.width;
    text.setAttribute("x", x);
    text.setAttribute("y", y - 15);
    text.setAttribute("text-anchor", x < 150 ? "start" : x > wide - 150 ? "end" : "middle");
  }

  tell(words) { if (this.says) this.says.textContent = words; }

  /** Takes everything back to how the page came. */
  reset() { htmx.trigger("#stage", "refresh"); }

  commit(handle) {
    clearTimeout(this.later);
    if (!this.by || Object.values(this.by).every((v) => !v)) return;
    const state = document.getElementById("page-state"), hidden = (name) => state.querySelector(`[name=${name}]`).value;
    const values = { pointer: handle.leaves.map((l) => l.pointer), value: this.texts(handle, this.by), was: handle.leaves.map((l) => l.text), page: hidden("page"), name: hidden("name"), seen: hidden("seen") };
    this.by = null;
    sessionStorage.setItem("focus-handle", handle.name);
    htmx.ajax("POST", `${location.pathname.split("/geometry")[0]}/edit`, { values, target: "#stage", swap: "outerHTML" });
  }

  /** After a step by keyboard the same handle has the focus again. */
  refocus() {
    const name = sessionStorage.getItem("focus-handle");
    sessionStorage.removeItem("focus-handle");
    if (name) this.layer?.querySelector(`[data-handle="${CSS.escape(name)}"]`)?.focus();
  }
}
