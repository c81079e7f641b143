// The canvas of a shape in space: drawing on demand, turning, moving, zooming at the pointer, picking, cutting.

import { Raycaster, Vector2, Vector3 } from "../vendor/three/three.module.min.js";
import { Camera } from "./camera.js";
import { GpuPainter, hasProcessor } from "./gpu.js";
import { Marks } from "./marks.js";
import { Shape } from "./shape.js";
import { SoftPainter } from "./soft.js";

const MOST_FOR_HOVER = 400000;
const CLICK = 4; // px that a click may wander

export class SpaceView {
  /** `on` has: move (a hit or null), pick (a hit, the event), view (the view changed). */
  constructor(holder, on) {
    Object.assign(this, { holder, on, shape: null, camera: new Camera(), hidden: new Set(), namesShown: true, edgesShown: false, cutAxis: "", cutShare: 0.5, waiting: 0, grip: null });
    this.canvas = Object.assign(document.createElement("canvas"), { tabIndex: 0, className: "space-canvas" });
    this.canvas.setAttribute("aria-label", "Shape in space: arrow keys turn it, with Shift they move it, + and − zoom");
    holder.append(this.canvas);
    this.painter = hasProcessor() ? new GpuPainter(this.canvas) : new SoftPainter(this.canvas);
    this.marks = new Marks(holder, (from) => this.look(from));
    this.cutHandle = Object.assign(document.createElement("button"), { className: "cut-handle", type: "button", hidden: true, title: "Drag the cut" });
    this.cutHandle.setAttribute("aria-label", "Drag the cut");
    holder.append(this.cutHandle);
    this.ray = new Raycaster();
    this.listen();
    this.watch = new ResizeObserver(() => this.resize());
    this.watch.observe(holder);
  }

  /** Shows another surface; the camera stays unless there was none. */
  async show(data) {
    if (this.shape?.data.key === data.key) { this.shape.take(data); this.names(); this.later(); return false; }
    const wanted = (this.wanted = data.key);
    const fresh = await Shape.load(data);
    if (this.wanted !== wanted) return false;
    const before = this.shape;
    this.put(fresh);
    this.setCut(this.cutAxis, this.cutShare);
    this.resize();
    if (!before && !this.given) this.fit();
    return true;
  }

  /** Shows a shape in place of the one before; the camera keeps its place in the room. */
  put(shape) {
    if (this.shape) this.camera.target.add(new Vector3(...this.shape.middle.map((v, i) => v - shape.middle[i]))); // points count from the middle of each shape's box
    this.shape = shape;
    this.camera.size = Math.hypot(...shape.half);
    shape.hide(this.hidden);
    shape.edgesShown = this.edgesShown;
    this.names();
  }

  names() {
    const { data, middle } = this.shape;
    this.marks.setNames(data.patches, data.wet ?? [], middle);
    this.occlude();
  }

  /** Gives up what it holds, once its place on the page is gone. */
  close() {
    cancelAnimationFrame(this.waiting);
    clearTimeout(this.resting);
    this.watch.disconnect();
    this.painter.close();
  }

  // -- looking --------------------------------------------------------------------------------

  look(from) { this.camera.look(from); this.fit(); }

  fit() {
    if (!this.shape) return;
    this.camera.fit(new Vector3(0, 0, 0), new Vector3(...this.shape.half));
    this.moved();
  }

  /** Looks at a place in m, so near that `size` m fill a part of the picture. */
  goTo(at, size) {
    this.camera.target.set(...at.map((v, i) => v - this.shape.middle[i]));
    this.camera.span = Math.min(Math.max(5 * size, 0.02 * this.camera.size), 1.6 * this.camera.size); // never farther off than the whole
    this.moved();
  }

  hide(names) { this.hidden = names; this.shape?.hide(names); this.moved(); }

  showEdges(wanted) { this.edgesShown = wanted; if (this.shape) this.shape.edgesShown = wanted; this.later(); }

  light(name) { if (this.shape && this.shape.lit !== name) { this.shape.lit = name; this.later(); } }

  showNames(wanted) { this.namesShown = wanted; this.occlude(); this.later(); }

  setCut(axis, share) {
    const k = "xyz".indexOf(axis);
    if (axis && (axis !== this.cutAxis || !this.cutSide)) this.cutSide = this.camera.away.getComponent(k) >= 0 ? -1 : 1; // what is nearer goes
    Object.assign(this, { cutAxis: axis, cutShare: share });
    this.cutHandle.hidden = !axis;
    if (!this.shape) return;
    this.grip = null;
    if (!axis) { this.shape.plane = null; this.later(); return; }
    this.cutPlace = (2 * share - 1) * this.shape.half[k] * 1.001;
    const plane = [0, 0, 0, -this.cutSide * this.cutPlace];
    plane[k] = this.cutSide;
    this.shape.plane = plane;
    const along = new Vector3().setComponent(k, 1);
    this.grip = { at: along.clone().multiplyScalar(this.cutPlace), along, move: (by) => { this.setCut(axis, Math.min(1, Math.max(0, this.cutShare + by / (2 * this.shape.half[k] || 1)))); this.on.cut?.(); } };
    this.moved();
  }

  /** A handle at a place (from the middle of the box) that is dragged along a direction, or none; `move` gets how far in m. */
  setGrip(grip) {
    this.grip = grip;
    this.cutHandle.hidden = !grip;
    this.later();
  }

  // -- drawing --------------------------------------------------------------------------------

  resize() {
    const { clientWidth: width, clientHeight: height } = this.holder;
    if (!width || !height) return;
    const ratio = Math.min(2, devicePixelRatio);
    this.painter.resize(width, height, ratio);
    Object.assign(this, { width, height });
    this.camera.aspect = width / height;
    this.draw(!this.moving);
  }

  later() { if (!this.waiting) this.waiting = requestAnimationFrame(() => { this.waiting = 0; this.draw(!this.moving); }); }

  draw(resting = false) {
    if (!this.width) return;
    this.camera.place();
    this.painter.draw(this.shape, this.camera, resting);
    this.marks.names.hidden = this.moving && !resting; // moving so many words costs more than the picture
    this.marks.draw(this.camera, this.width, this.height, this.namesShown, this.hidden);
    this.placeCutHandle();
    this.holder.dataset.drawn = this.shape?.data.key ?? "";
  }

  moved() {
    this.moving = true;
    this.later();
    this.on.view?.();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.occlude(), 140); // then names that are behind something go, and edges are smoothed
  }

  /** Finds out which names are behind something, once the view rests. */
  occlude() {
    if (!this.shape || !this.width) return;
    this.camera.place();
    const seen = new Vector3();
    for (const label of this.marks.labels) {
      if (label.kind !== "patch" && label.kind !== "note") continue;
      seen.copy(label.at).project(this.camera.three);
      if (!this.namesShown || Math.abs(seen.x) > 1 || Math.abs(seen.y) > 1) continue;
      const hit = this.hitAt(seen.x, seen.y);
      if (label.kind === "note") { label.behind = Boolean(hit) && label.at.distanceTo(new Vector3(...hit.at)) > 0.02 * this.camera.size; continue; }
      label.behind = label.patch.around ? false : !hit || this.shape.data.patches[hit.patch]?.name !== label.patch.name && label.at.distanceTo(new Vector3(...hit.at)) > 0.02 * this.camera.size;
    }
    cancelAnimationFrame(this.waiting);
    this.waiting = 0;
    this.moving = false;
    this.draw(true);
  }

  hitAt(x, y) {
    this.ray.setFromCamera(new Vector2(x, y), this.camera.three);
    const { origin, direction } = this.ray.ray;
    return this.shape?.seenAlong(origin.toArray(), direction.toArray()) ?? null;
  }

  /** From a hit's place (from the middle of the box) to m. */
  inMetres(at) { return at.map((v, i) => v + this.shape.middle[i]); }

  at(event) {
    const box = this.canvas.getBoundingClientRect();
    return [((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2];
  }

  /** The corner of a hit's triangle that is nearest to it. */
  cornerOf(hit) {
    const corners = [0, 1, 2].map((i) => this.shape.corner(hit.triangle, i));
    const away = (c) => Math.hypot(...c.map((v, i) => v - hit.at[i]));
    return corners.reduce((a, b) => (away(b) < away(a) ? b : a));
  }

  /** How far the shape goes along a direction, in m. */
  reach(along) { return 2 * this.shape.half.reduce((sum, h, i) => sum + h * Math.abs(along.getComponent(i)), 0); }

  placeCutHandle() {
    if (!this.grip || !this.shape) return;
    const at = this.grip.at.clone().project(this.camera.three);
    this.cutHandle.style.transform = `translate(${((at.x + 1) / 2) * this.width}px, ${((1 - at.y) / 2) * this.height}px)`;
  }

  // -- pointer and keys -----------------------------------------------------------------------

  listen() {
    const { canvas } = this;
    let held = null;
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      held = { x: event.clientX, y: event.clientY, far: 0, pan: event.button !== 0 || event.shiftKey, button: event.button, from: this.boxing && event.button === 0 && !event.shiftKey ? this.at(event) : null };
    });
    canvas.addEventListener("pointermove", (event) => {
      if (!held) { this.hover(event); return; }
      const dx = event.clientX - held.x, dy = event.clientY - held.y;
      held.far += Math.hypot(dx, dy);
      Object.assign(held, { x: event.clientX, y: event.clientY });
      if (held.far < CLICK) return;
      if (held.from) { this.stretch(held.from, this.at(event)); return; }
      if (held.pan) this.camera.pan(dx / this.height, dy / this.height);
      else this.camera.turn((dx * 3.2) / this.height, (dy * 3.2) / this.height);
      this.moved();
    });
    const release = (event) => {
      this.rubber?.remove();
      this.rubber = null;
      if (held?.from && held.far >= CLICK && event.type === "pointerup") this.on.box?.(this.patchesIn(held.from, this.at(event)));
      if (held && held.far < CLICK && held.button === 0 && event.type === "pointerup") this.on.pick?.(this.hitAt(...this.at(event)), event);
      held = null;
    };
    canvas.addEventListener("pointerup", release);
    canvas.addEventListener("pointercancel", release);
    canvas.addEventListener("pointerleave", () => this.on.move?.(null));
    canvas.addEventListener("contextmenu", (event) => event.preventDefault());
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      this.camera.zoom(1.0015 ** event.deltaY, this.at(event));
      this.moved();
    }, { passive: false });
    canvas.addEventListener("keydown", (event) => this.key(event));
    this.cutHandle.addEventListener("pointerdown", (down) => {
      this.cutHandle.setPointerCapture(down.pointerId);
      const { along } = this.grip, [x, y] = [along.dot(this.camera.right), along.dot(this.camera.upward)], size = Math.max(x * x + y * y, 0.02); // along the line of sight it goes slowly, not wild
      const drag = (event) => this.grip?.move(((event.movementX * x - event.movementY * y) / size / this.height) * this.camera.span);
      this.cutHandle.addEventListener("pointermove", drag);
      this.cutHandle.addEventListener("pointerup", () => this.cutHandle.removeEventListener("pointermove", drag), { once: true });
    });
    this.cutHandle.addEventListener("keydown", (event) => {
      const sign = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
      if (!sign || !this.grip) return;
      event.preventDefault();
      event.stopPropagation();
      this.grip.move(sign * 0.02 * this.reach(this.grip.along));
    });
  }

  /** Draws the box between two places of the picture (from −1 to 1). */
  stretch(one, other) {
    if (!this.rubber) this.holder.append((this.rubber = Object.assign(document.createElement("div"), { className: "pick-box" })));
    const x = [one[0], other[0]].map((v) => ((v + 1) / 2) * this.width).sort((a, b) => a - b), y = [one[1], other[1]].map((v) => ((1 - v) / 2) * this.height).sort((a, b) => a - b);
    Object.assign(this.rubber.style, { left: `${x[0]}px`, top: `${y[0]}px`, width: `${x[1] - x[0]}px`, height: `${y[1] - y[0]}px` });
  }

  /** Numbers of the visible patches that lie between two places of the picture as a whole. */
  patchesIn(one, other) {
    if (!this.shape) return [];
    const { shape } = this, at = new Vector3(), low = one.map((v, i) => Math.min(v, other[i])), high = one.map((v, i) => Math.max(v, other[i]));
    return shape.data.patches.map((_, k) => k).filter((k) => {
      if (!shape.visible[k] || shape.starts[k] === shape.starts[k + 1]) return false;
      for (let c = 3 * shape.starts[k]; c < 3 * shape.starts[k + 1]; c++) {
        at.fromArray(shape.points, 3 * shape.triangles[c]).project(this.camera.three);
        if (at.x < low[0] || at.x > high[0] || at.y < low[1] || at.y > high[1]) return false;
      }
      return true;
    });
  }

  hover(event) {
    if (!this.shape) return;
    const now = performance.now();
    if (now - (this.hovered ?? 0) < (this.shape.count > MOST_FOR_HOVER ? 120 : 30)) return;
    this.hovered = now;
    this.on.move?.(this.hitAt(...this.at(event)));
  }

  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    const way = ways[event.key];
    if (way && event.shiftKey) this.camera.pan(way[0] * 0.05, way[1] * 0.05);
    else if (way) this.camera.turn(way[0] * 0.1, way[1] * 0.1);
    else if (event.key === "+" || event.key === "=") this.camera.zoom(0.85);
    else if (event.key === "-") this.camera.zoom(1 / 0.85);
    else return;
    event.preventDefault();
    this.moved();
  }
}
