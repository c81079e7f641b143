// Picking in the shape: patches, smooth areas, triangles, rims and points; what can be done with each, and measuring.

import { area, length, mm, place, spot } from "./words.js";

const RIVER = "#0f6e74";
const ANGLE = (20 * Math.PI) / 180;
const KINDS = [["patch", "patch"], ["area", "smooth area"], ["triangle", "triangle"], ["edge", "edge"], ["rim", "rim"], ["point", "point"], ["box", "patches in a box"]];

/** The radius of the circle that places lie on, null when they do not lie on one (within 1 %). */
function radiusOf(places) {
  if (places.length < 6) return null;
  const [a, b, c] = [0, 1, 2].map((k) => places[Math.floor((k * (places.length - 1)) / 3)]);
  const away = (p, q) => p.map((v, i) => v - q[i]), dot = (p, q) => p.reduce((sum, v, i) => sum + v * q[i], 0);
  const u = away(b, a), v = away(c, a), uu = dot(u, u), vv = dot(v, v), uv = dot(u, v), below = 2 * (uu * vv - uv * uv);
  if (below <= 1e-9 * uu * vv) return null;
  const s = (vv * (uu - uv)) / below, t = (uu * (vv - uv)) / below, centre = a.map((x, i) => x + s * u[i] + t * v[i]);
  const radius = Math.hypot(...away(a, centre));
  return places.every((p) => Math.abs(Math.hypot(...away(p, centre)) - radius) < 0.01 * radius) ? radius : null;
}

function button(words, does, title = words) {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: words, title });
  made.onclick = does;
  return made;
}

export class Picking {
  constructor(page) {
    this.page = page;
    this.bar = page.root.querySelector("#pick-bar");
    this.words = page.root.querySelector("#pick-words");
    this.does = page.root.querySelector("#pick-does");
    this.kind = page.pickKind ?? "patch";
    this.last = null;
    const choice = document.createElement("label");
    choice.append("Pick ");
    this.choice = Object.assign(document.createElement("select"), { className: "v boxed", id: "pick-kind" });
    this.choice.setAttribute("aria-label", "What a click picks");
    for (const [value, text] of KINDS) this.choice.append(new Option(text, value, false, value === this.kind));
    this.choice.onchange = () => { this.kind = page.pickKind = this.choice.value; page.view.boxing = this.kind === "box"; this.leave(); };
    page.view.boxing = this.kind === "box";
    choice.append(this.choice);
    page.root.querySelector(".view-bar .grow")?.before(choice);
  }

  leave() {
    this.last = null;
    this.bar.hidden = true;
    const { shape } = this.page.view;
    shape?.lay("picked", null);
    shape?.draw("picked", [], RIVER);
    this.page.view.later();
  }

  pick(hit) {
    if (!hit) { this.leave(); return; }
    const { view } = this.page, at = view.inMetres(hit.at), patch = view.shape.data.patches[hit.patch].name;
    this[this.kind](hit, at, patch);
    view.later();
  }

  say(words, ...does) {
    this.bar.hidden = false;
    this.words.textContent = words;
    this.does.replaceChildren(...does);
  }

  range(patch) {
    const { starts } = this.page.view.shape;
    return Array.from({ length: starts[patch + 1] - starts[patch] }, (_, k) => starts[patch] + k);
  }

  patch(hit, at, name) {
    const { page } = this, { view } = page;
    const triangles = this.range(hit.patch);
    view.shape.lay("picked", triangles.length < 200000 ? triangles : [], RIVER);
    const row = page.root.querySelector(`tr[data-patch="${name}"]`);
    row?.scrollIntoView({ block: "nearest" });
    this.say(`${name}: ${area(view.shape.area(triangles))}`,
      button("rename", () => { const field = row.querySelector(".patch-name"); field.focus(); field.select(); }),
      button("hide", () => { page.hide(new Set([...view.hidden, name])); this.leave(); }, "Hide (h)"),
      button("alone", () => page.hide(new Set(page.names.filter((n) => n !== name))), "Show alone (s)"),
      button("split by angle", () => page.try({ kind: "split_by_angle", patch: name, angle: "30 deg" })),
      button("split by shells", () => page.try({ kind: "split_by_shell", patch: name })),
      button("split here", () => { const n = view.shape.normal(hit.triangle), k = n.map(Math.abs).indexOf(Math.max(...n.map(Math.abs))); const axis = "xyz"[(k + 1) % 3]; page.try({ kind: "split_by_plane", patch: name, axis, at: spot(at)[axis] }); }, "Split across an axis at this place"),
      button("lay on z = 0", () => page.try({ kind: "lay", patch: name })),
      button("look along x", () => page.try({ kind: "align", patch: name, axis: "x" })),
      button("delete", () => page.try({ kind: "delete", what: "patch", at: spot(at, name) })));
  }

  area(hit, at, name) {
    const { page } = this, { shape } = page.view, triangles = shape.smooth(hit.triangle, ANGLE);
    shape.lay("picked", triangles, RIVER);
    const field = Object.assign(document.createElement("input"), { className: "v boxed", size: 10, placeholder: "name" });
    field.setAttribute("aria-label", "Name of this area");
    const call = () => { if (field.value.trim()) page.try({ kind: "name_area", at: spot(at, name), reach: "smooth", angle: "20 deg", to: field.value.trim() }); };
    field.onkeydown = (event) => { if (event.key === "Enter") call(); };
    this.say(`smooth area on ${name}: ${triangles.length} triangles, ${area(shape.area(triangles))}`, field, button("make it a patch", call));
  }

  triangle(hit, at, name) {
    const { page } = this, { shape } = page.view;
    shape.lay("picked", [hit.triangle], RIVER);
    const normal = shape.normal(hit.triangle);
    let angle = "";
    if (this.last?.normal) {
      const cosine = Math.min(1, Math.max(-1, normal.reduce((sum, v, i) => sum + v * this.last.normal[i], 0)));
      angle = `, ${((Math.acos(cosine) * 180) / Math.PI).toFixed(1)}° to the one before`;
    }
    this.last = { normal };
    this.say(`triangle on ${name}: ${area(shape.area([hit.triangle]))}, looks along (${normal.map((v) => v.toFixed(2)).join(", ").replaceAll("-", "−")})${angle}`,
      button("turn it and its like", () => page.try({ kind: "spread_sides", at: spot(at, name) })),
      button("delete it", () => page.try({ kind: "delete", what: "triangle", at: spot(at, name) })),
      button("delete its shell", () => page.try({ kind: "delete", what: "shell", at: spot(at, name) })));
  }

  edge(hit) {
    const { shape } = this.page.view, { ends, beside } = shape.edgeAt(hit), line = shape.featureLine(ends);
    const name = (triangle) => shape.data.patches[shape.patchOf(triangle)].name;
    const placed = (point) => shape.place3(point).map((v, i) => v + shape.middle[i]);
    const run = line ?? ends, places = run.map(placed);
    const whole = places.slice(1).reduce((sum, p, k) => sum + Math.hypot(...p.map((v, i) => v - places[k][i])), 0);
    shape.draw("picked", places.slice(1).map((p, k) => [...places[k], ...p]), RIVER);
    const own = Math.hypot(...placed(ends[0]).map((v, i) => v - placed(ends[1])[i]));
    const says = [`edge ${length(own)} long`];
    if (beside === null) says.push(`at the free rim of ${name(hit.triangle)}`);
    else {
      const cosine = Math.min(1, Math.max(-1, shape.normal(hit.triangle).reduce((sum, v, i) => sum + v * shape.normal(beside)[i], 0)));
      says.push(`bends by ${((Math.acos(cosine) * 180) / Math.PI).toFixed(1)}°`, name(beside) === name(hit.triangle) ? `within ${name(beside)}` : `between ${name(hit.triangle)} and ${name(beside)}`);
    }
    if (line) {
      const radius = radiusOf(places);
      says.push(`its line is ${length(whole)} long${radius ? `, radius ${length(radius)}` : ""}`);
    }
    this.say(says.join("; "));
  }

  /** Patches that lie in a rectangle of the picture with all that is shown of them. */
  box(hit) { if (hit) this.say("Drag a box round the patches that you mean"); }

  boxed(inside) {
    const { page } = this, { shape } = page.view;
    if (!inside.length) { this.say("no patch lies in this box as a whole"); return; }
    const names = inside.map((k) => shape.data.patches[k].name), triangles = inside.flatMap((k) => this.range(k));
    shape.lay("picked", triangles.length < 200000 ? triangles : [], RIVER);
    page.view.later();
    const field = Object.assign(document.createElement("input"), { className: "v boxed", size: 10, placeholder: "name", value: names[0] });
    field.setAttribute("aria-label", "Name of all these patches together");
    const join = () => { const to = field.value.trim(); if (to) page.act("add_steps", { steps: JSON.stringify(names.filter((n) => n !== to).map((patch) => ({ kind: "rename", patch, to }))) }); };
    const does = [button("hide", () => { page.hide(new Set([...page.view.hidden, ...names])); this.leave(); }), button("alone", () => page.hide(new Set(page.names.filter((n) => !names.includes(n)))))];
    if (names.length > 1) does.push(field, button("make them one patch", join));
    this.say(`${names.length} patch${names.length === 1 ? "" : "es"}: ${names.slice(0, 6).join(", ")}${names.length > 6 ? " …" : ""}; ${area(shape.area(triangles))}`, ...does);
  }

  rim(hit, at) {
    const { page } = this, { shape } = page.view, rims = shape.data.openings;
    const away = (rim) => Math.min(...rim.line.map((p) => Math.hypot(...p.map((v, i) => v - at[i]))));
    const near = rims.length ? rims.reduce((a, b) => (away(b) < away(a) ? b : a)) : null;
    if (!near) { this.say("there is no open rim"); return; }
    shape.draw("picked", near.line.map((a, k) => [...a, ...near.line[(k + 1) % near.line.length]]), RIVER);
    const first = this.last?.rim && this.last.rim !== near ? this.last.rim : null;
    this.last = { rim: near };
    const field = Object.assign(document.createElement("input"), { className: "v boxed", size: 10, placeholder: "outlet" });
    field.setAttribute("aria-label", "Name of the opening");
    const step = (how) => ({ kind: "fill", at: spot(near.rim, near.patch), how });
    const close = (inner) => page.act("close_opening", { patch: field.value, beside: near.patch, x: near.rim[0], y: near.rim[1], z: near.rim[2], ...(inner ? { inner: JSON.stringify(spot(inner.rim, inner.patch)) } : {}) });
    const does = [field, button("close as", () => field.value.trim() && close(null)), button("fill flat", () => page.try(step("flat"))), button("fill bent", () => page.try(step("bent")), "Fill as the surface around bends")];
    if (first) does.push(button("close the ring to the one before", () => {
      const [outer, inner] = near.length > first.length ? [near, first] : [first, near];
      if (field.value.trim()) page.act("close_opening", { patch: field.value, beside: outer.patch, x: outer.rim[0], y: outer.rim[1], z: outer.rim[2], inner: JSON.stringify(spot(inner.rim, inner.patch)) });
    }));
    this.say(`rim at ${near.patch}: ${near.words}, radius ${length(near.across / 2)}`, ...does);
  }

  point(hit) {
    const { view } = this.page, corner = view.inMetres(view.cornerOf(hit)), before = this.last?.point;
    const says = [`point at ${place(corner)}`];
    if (before) {
      const run = corner.map((v, i) => v - before[i]);
      says.push(`${length(Math.hypot(...run))} from the one before (${run.map((v) => (1000 * v).toFixed(2)).join(", ").replaceAll("-", "−")} mm)`);
      view.shape.draw("picked", [[...before, ...corner]], RIVER);
    }
    this.last = { point: corner };
    const name = view.shape.data.patches[hit.patch].name;
    const inward = view.shape.normal(hit.triangle);
    const toward = view.camera.away.dot(new view.camera.target.constructor(...inward)) > 0 ? -1 : 1;
    const other = view.shape.hit(hit.at.map((v, i) => v + 1e-6 * toward * inward[i] * view.camera.size), inward.map((v) => toward * v));
    const deep = other ? view.inMetres(hit.at.map((v, i) => v + 0.5 * other.distance * toward * inward[i])) : null;
    const does = deep ? [button("wet point behind it", () => this.page.act("set_body", { with_name: this.page.root.querySelector("#body-form [name=with_name]")?.value || "water", x: deep[0], y: deep[1], z: deep[2] }), "Set the wet point half way to the next wall behind this place")] : [];
    if (before) {
      const [low, high] = [Math.min, Math.max].map((end) => corner.map((v, i) => mm(end(v, before[i]))));
      const box = { west: low[0], east: high[0], south: low[1], north: high[1], floor: low[2], lid: high[2] };
      does.push(button(`split ${name} by the box between them`, () => this.page.try({ kind: "split_by_box", patch: name, ...box })));
    }
    this.say(says.join("; "), ...does);
  }
}
