// What stands over the picture of a shape: names of patches, marks of places, the axes, the scale.

import { Vector3 } from "../vendor/three/three.module.min.js";
import { length } from "./words.js";

const SVG = "http://www.w3.org/2000/svg";
const GLYPHS = { inflow: "→", outflow: "↦", symmetry: "⋮", wall: "▨" };
const MOST_NAMES = 60;

function element(kind, attributes, parent) {
  const made = document.createElementNS(SVG, kind);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  parent?.append(made);
  return made;
}

export class Marks {
  constructor(holder, onLook) {
    this.names = Object.assign(document.createElement("div"), { className: "space-names" });
    this.corner = element("svg", { class: "space-axes", viewBox: "-46 -46 92 92", width: 92, height: 92, role: "group", "aria-label": "Axes" });
    this.scale = element("svg", { class: "space-scale", width: 240, height: 34, role: "img" });
    holder.append(this.names, this.corner, this.scale);
    this.axes = ["x", "y", "z"].map((name, k) => {
      const group = element("g", { tabindex: 0, role: "button", "aria-label": `Look along ${name}` }, this.corner);
      const line = element("line", { x1: 0, y1: 0 }, group), text = element("text", { "text-anchor": "middle", "dominant-baseline": "central" }, group);
      text.textContent = name;
      group.addEventListener("click", (event) => onLook(event.shiftKey ? `-${name}` : name));
      group.addEventListener("keydown", (event) => { if (event.key === "Enter") onLook(name); });
      return { group, line, text, way: new Vector3(k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0) };
    });
    this.bar = element("path", {}, this.scale);
    this.barText = element("text", { x: 6, y: 12 }, this.scale);
    this.labels = [];
    this.middle = new Vector3();
  }

  /** Names of patches and bodies; each `at` in m. */
  setNames(patches, bodies, middle) {
    this.names.replaceChildren();
    const place = (at) => new Vector3(...at.map((v, i) => v - middle[i]));
    this.labels = [
      ...patches.slice(0, MOST_NAMES).filter((p) => p.at && !p.nameless).map((patch) => ({ patch, at: place(patch.at), words: `${GLYPHS[patch.role] ?? ""} ${patch.name}`.trim(), kind: "patch" })),
      ...bodies.map((body) => ({ body, at: place(body.at), words: `◆ ${body.name}`, kind: "body" })),
    ];
    for (const label of this.labels) {
      label.element = Object.assign(document.createElement("span"), { className: `space-name ${label.kind}`, textContent: label.words });
      if (label.patch) label.element.style.setProperty("--c", label.patch.colour);
      this.names.append(label.element);
    }
    if (this.ring) { this.ring.at.add(this.middle).sub(new Vector3(...middle)); this.names.append(this.ring.element); this.labels.push(this.ring); }
    this.middle = new Vector3(...middle);
  }

  /** Short words at places (from the middle of the box), in place of those before. */
  setNotes(notes) {
    for (const label of this.labels) if (label.kind === "note") label.element.remove();
    this.labels = [...this.labels.filter((label) => label.kind !== "note"), ...notes.map(({ at, words }) => ({ at: new Vector3(...at), kind: "note", element: Object.assign(document.createElement("span"), { className: "space-name note-mark", textContent: words }) }))];
    for (const label of this.labels) if (label.kind === "note") this.names.append(label.element);
  }

  /** A ring round a place that was walked to, with its words; none takes it away. */
  point(at, words) {
    this.ring?.element.remove();
    this.labels = this.labels.filter((label) => label !== this.ring);
    this.ring = null;
    if (!at) return;
    this.ring = { at, kind: "ring", element: Object.assign(document.createElement("span"), { className: "space-ring" }) };
    this.ring.element.append(Object.assign(document.createElement("span"), { textContent: words }));
    this.names.append(this.ring.element);
    this.labels.push(this.ring);
  }

  draw(camera, width, height, shown, hidden) {
    const seen = new Vector3(), noted = [];
    for (const label of this.names.hidden ? [] : this.labels) {
      seen.copy(label.at).project(camera.three);
      const inside = Math.abs(seen.x) < 1 && Math.abs(seen.y) < 1 && seen.z < 1;
      const off = !inside || (label.kind === "note" && label.behind) || (label.kind === "patch" && (!shown || label.behind || hidden.has(label.patch.name)));
      const x = ((seen.x + 1) / 2) * width, y = ((1 - seen.y) / 2) * height;
      const covered = label.kind === "note" && !off && noted.some(([a, b]) => Math.abs(a - x) < 34 && Math.abs(b - y) < 18); // two on top of one another tell nothing
      if (label.kind === "note" && !off && !covered) noted.push([x, y]);
      label.element.hidden = off || covered;
      if (!off && !covered) label.element.style.transform = `translate(${x}px, ${y}px)`;
    }
    const { right, upward, away } = camera;
    const sorted = this.axes.map((axis) => ({ axis, depth: axis.way.dot(away) })).sort((a, b) => a.depth - b.depth);
    for (const { axis, depth } of sorted) {
      const x = 30 * axis.way.dot(right), y = -30 * axis.way.dot(upward);
      axis.line.setAttribute("x2", x);
      axis.line.setAttribute("y2", y);
      axis.text.setAttribute("x", x * 1.28);
      axis.text.setAttribute("y", y * 1.28);
      axis.group.classList.toggle("behind", depth < -0.05);
      this.corner.append(axis.group);
    }
    const pixel = camera.span / height, rough = 150 * pixel;
    const power = 10 ** Math.floor(Math.log10(rough));
    const round = [5, 2, 1].find((f) => f * power <= rough) * power;
    const wide = round / pixel;
    this.bar.setAttribute("d", `M6 18v8h${wide.toFixed(1)}v-8`);
    this.barText.textContent = length(round);
    this.scale.setAttribute("aria-label", `Scale: the bar is ${length(round)} long${camera.perspective ? " at the middle of the view" : ""}`);
  }
}
