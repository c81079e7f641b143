// What all pages share: live events, keys, drawings that light up, and a careful refresh.

import "./canvases.js";
import { folds, sortable } from "./board.js";
import { Plates, Two } from "./compare.js";
import { Curves } from "./curves.js";
import { Cut } from "./cut.js";
import { Losses } from "./losses.js";
import { Find, focusAddressed } from "./find.js";
import { Handles } from "./handles.js";
import { Completion } from "./complete.js";
import { openPlots } from "./plots.js";
import { sending } from "./send.js";
import { Blink, ResultTools } from "./results.js";
import { memory, newPicture, openViews, remember } from "./views.js";
import { guide } from "./visit.js";

let curves = null, tools = null, blink = null, space = null, scene = null, plate = null, plates = null, cut = null, losses = null;

async function opened(root) {
  if (root.dataset.opened) return; // a swap tells of each of its parts
  root.dataset.opened = "1";
  for (const gone of [scene, plate]) gone?.close();
  tools = blink = scene = plate = plates = cut = losses = null;
  openPlots(root);
  sortable(root);
  folds(root);
  sending(root);
  const holder = root.querySelector("#curves");
  curves = holder ? new Curves(holder) : null;
  curves?.open();
  lightPatches(root);
  const drawOn = root.querySelector("#draw-on");
  if (drawOn) new Handles(drawOn).refocus();
  if (root.querySelector("#space-view")) space = await import("./space.js"); // only where there is a shape in space
  await space?.openSpace(root);
  if (root.querySelector("#scene-view") && seenAs(root) === "space") { await openScene(root); return; }
  if (root.querySelector(".scene-view")) { scene = await (await import("./scene/grid.js")).SceneGrid.open(root); return; }
  cut = await Cut.of(root);
  const pictures = await openViews(root);
  cut?.attach(pictures);
  losses = new Losses(root, pictures, cut);
  plate = root.querySelector("#live-plate") ? (await import("./scene/live.js")).LivePlate.of(root, pictures) : null;
  if (pictures && root.querySelector("#streamlines")) tools = new ResultTools(root, pictures, cut);
  if (pictures && root.querySelector("#blink-with")) blink = new Blink(root, pictures);
  if (pictures && root.querySelector("#streamlines-all")) plates = new Plates(root, pictures);
  if (pictures && root.querySelector("#two")) blink = new Two(root, pictures);
}

/** How a result in space is seen: as a picture in space, or as one cut, flat; a plate as it was kept. */
function seenAs(root) {
  const plate = JSON.parse(root.querySelector("#plate-shown")?.dataset.plate ?? "null");
  const how = plate ? (plate.layers.length ? "space" : "flat") : memory("seen") ?? "space";
  root.classList.toggle("seen-flat", how === "flat");
  root.classList.toggle("seen-space", how !== "flat");
  for (const button of root.querySelectorAll("[data-seen]")) {
    button.setAttribute("aria-pressed", button.dataset.seen === how);
    button.onclick = async () => {
      remember("seen", button.dataset.seen);
      await htmx.ajax("GET", document.getElementById("stage").getAttribute("hx-get").replace(/&plate=[^&]*/, ""), { source: "#stage", target: "#stage", swap: "outerHTML" });
    };
  }
  return how;
}

function livePlate(at) {
  plate.show(at);
  const says = document.getElementById("picture-at");
  if (says) says.textContent = `${says.textContent.includes("step") ? "at step" : "at iteration"} ${at}`;
}

async function openScene(root) {
  const { ScenePage } = await import("./scene/page.js"); // only where there is a result in space
  scene = blink = await ScenePage.open(root);
}

/** The distance of a point from a polyline, in px of the drawing. */
function distanceTo(line, at) {
  const points = [...line.points];
  return Math.min(...points.slice(1).map((b, k) => {
    const a = points[k], run = [b.x - a.x, b.y - a.y], square = run[0] ** 2 + run[1] ** 2;
    const t = square ? Math.min(1, Math.max(0, ((at.x - a.x) * run[0] + (at.y - a.y) * run[1]) / square)) : 0;
    return Math.hypot(a.x + t * run[0] - at.x, a.y + t * run[1] - at.y);
  }));
}

/** The patch and the place under the pointer of a drawing. */
function lightPatches(root) {
  const svg = root.querySelector("svg.drawing"), strip = root.querySelector("#strip");
  if (!svg || !strip) return;
  const { x0, y0, scale, top, left } = svg.dataset;
  svg.addEventListener("pointermove", (event) => {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    const width = svg.viewBox.baseVal.width;
    const x = Number(x0) + (at.x - left) / scale, y = Number(y0) - (at.y - top) / scale;
    let near = null, best = 9;
    for (const edge of svg.querySelectorAll(".edge")) {
      const distance = distanceTo(edge, at);
      if (distance < best) { best = distance; near = edge; }
    }
    for (const edge of svg.querySelectorAll(".edge")) edge.classList.toggle("lit", near !== null && edge.dataset.patch === near.dataset.patch);
    strip.textContent = `x ${(1000 * x).toFixed(1)} mm, y ${(1000 * y).toFixed(1)} mm${near ? ` · patch ${near.dataset.patch}` : ""}`;
    if (at.x < 0 || at.x > width) strip.textContent = "\u00a0";
  });
  svg.addEventListener("pointerleave", () => { strip.textContent = "\u00a0"; svg.querySelectorAll(".lit").forEach((e) => e.classList.remove("lit")); });
}

// -- live events ------------------------------------------------------------------------------

let waiting = null, reasons = [];
const seen = () => Number(document.querySelector("#page-state [name=seen]")?.value ?? 0);

/**
 * Swaps the page's body for a new one, but never while somebody is typing in it or a change is on its way.
 * `reason` says whether it is still wanted then.
 */
function refresh(reason = () => true) {
  reasons.push(reason);
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    const active = document.activeElement;
    const typing = active?.matches("input.v, textarea.v") && active.value !== active.defaultValue;
    const busy = document.querySelector("#stage.htmx-request, #stage .htmx-request:not(.forces), .top .htmx-request, .handles .dragged");
    const refused = document.querySelector("#stage [data-refused]"); // with the reason beside it, until it is mended
    if (typing || busy || refused) { refresh(() => false); return; }
    const wanted = reasons.some((one) => one());
    reasons = [];
    if (wanted && document.getElementById("stage")?.hasAttribute("hx-get")) htmx.trigger("#stage", "refresh");
  }, 250);
}

document.addEventListener("shapeDone", () => refresh()); // said by the line of progress, should its event have been missed

const here = `${Date.now()}-${Math.random()}`; // tells this page from others that look at the same study

function initials(name) {
  const words = name.replaceAll(".", " ").split(/\s+/).filter(Boolean);
  return (words.length > 1 ? words[0][0] + words.at(-1)[0] : (words[0] ?? "?")[0]).toUpperCase();
}

function present(who) {
  const told = document.getElementById("present");
  if (!told) return;
  const others = who.filter((one) => one.window !== here);
  const names = [...new Set(others.map((one) => one.name || "another window"))];
  told.setAttribute("aria-label", names.length ? `also here: ${names.join(", ")}` : "");
  told.replaceChildren(...names.slice(0, 3).map((name) => {
    const pages = [...new Set(others.filter((one) => (one.name || "another window") === name).map((one) => one.page))];
    return Object.assign(document.createElement("span"), { className: "chip other", textContent: initials(name), title: `also here: ${name}, on ${pages.join(", ")}` });
  }));
  if (names.length > 3) told.append(` +${names.length - 3}`);
}

// Who may only look finds nothing to press that would be refused.
const HARMLESS = /\/(movies|files|made|archive|preview)/;

function onlyLooks() {
  if (document.getElementById("me")?.dataset.may !== "view") return;
  for (const one of document.querySelectorAll("#stage [hx-post], .steps [hx-post]")) {
    if (HARMLESS.test(one.getAttribute("hx-post"))) continue;
    for (const part of one.matches("form") ? one.elements : [one]) part.disabled = true;
  }
}
document.addEventListener("htmx:afterSettle", onlyLooks);

function listen(address) {
  const { page } = document.body.dataset;
  const source = new EventSource(`${address}?page=${encodeURIComponent(page ?? "")}&window=${encodeURIComponent(here)}`);
  source.onmessage = ({ data }) => {
    const event = JSON.parse(data);
    if (event.type === "hello") {
      refresh(() => event.stamp !== document.getElementById("page-state")?.dataset.stamp);
      return;
    }
    if (event.type === "present") { present(event.who); return; }
    if (event.type === "history") {
      for (const words of document.querySelectorAll(`.run-words[data-run="${event.run}"], .run-words[data-variant="${event.variant}"]`)) words.textContent = event.time == null ? `iteration ${event.iteration}` : `step ${event.iteration}, at ${Number(event.time.toPrecision(4))} s`;
      if (curves?.variant === event.variant) curves.take(event.history, event.forecast);
      return;
    }
    if (event.type === "trouble") htmx.trigger("#room", "look");
    if (event.type === "compiling" || (event.type === "trouble" && event.words)) {
      for (const words of document.querySelectorAll(`.run-words[data-run="${event.run}"], .run-words[data-variant="${event.variant}"]`)) words.textContent = event.words;
      return;
    }
    if (event.type === "picture") {
      if (curves?.variant !== event.variant) return;
      if (document.querySelector("canvas.field[data-live]")) (plate?.plate ? livePlate(event.at) : newPicture(event.at));
      else refresh();
      return;
    }
    if (event.type === "changed") refresh(() => event.changes > seen());
    else refresh();
  };
  addEventListener("pagehide", () => source.close());
}

// -- who changes what: each browser, and each window of it, is known by a word of its own -------------------------------

function word(storage, name) {
  const known = storage.getItem(name) ?? crypto.randomUUID().slice(0, 13);
  storage.setItem(name, known);
  return known;
}
const windowWord = `${word(localStorage, "brook browser")}.${word(sessionStorage, "brook window")}`;
document.addEventListener("htmx:configRequest", (event) => { event.detail.headers["X-Brook-Window"] = windowWord; });

/** Long lists shrink to the rows that hold what is typed. */
document.addEventListener("input", (event) => {
  const rows = event.target.dataset?.filter;
  if (!rows) return;
  const words = event.target.value.toLowerCase().trim();
  for (const row of document.querySelectorAll(rows)) row.hidden = !row.textContent.toLowerCase().includes(words);
});

// -- keys -------------------------------------------------------------------------------------

document.addEventListener("keydown", (event) => {
  const undoing = (event.ctrlKey || event.metaKey) && !event.altKey && ["z", "y"].includes(event.key.toLowerCase());
  if (!undoing || (event.target.matches("input, textarea") && event.target.value !== event.target.defaultValue)) return;
  event.preventDefault();
  const again = event.shiftKey || event.key.toLowerCase() === "y";
  document.getElementById(again ? "redo" : "undo")?.click();
});

document.addEventListener("keydown", (event) => {
  if (event.target.matches("input, textarea, select") || event.ctrlKey || event.metaKey || event.altKey) return;
  const links = [...document.querySelectorAll(".variants a")];
  const at = links.findIndex((a) => a.hasAttribute("aria-current"));
  if (event.key === "[" && at >= 0) links[(at + links.length - 1) % links.length].click();
  else if (event.key === "]" && at >= 0) links[(at + 1) % links.length].click();
  else if (event.key === "f") document.getElementById("fit")?.click();
  else if (event.key === "/") document.getElementById("find")?.focus();
  else if (event.key === "?") location.href = "/shortcuts";
  else if (space?.spaceKey(event)) event.preventDefault();
  else if (scene?.key(event)) event.preventDefault();
  else if (event.key === "v") document.querySelector("#stage [data-seen][aria-pressed=false]")?.click();
  else if (event.key === "p") (tools ?? scene)?.startProfile?.();
  else if (event.key === "k" && (tools ?? scene ?? plates)?.play) (tools ?? scene ?? plates).play();
  else if (event.key === "n" && losses?.next()) { /* shown */ } else if (event.key === "Escape" && tools) tools.leave();
  else if (event.key === "b" && blink) { if (!event.repeat) blink.press(); }
  else return;
  event.preventDefault();
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && event.target.matches("input.v, textarea.v")) { event.target.value = event.target.defaultValue; event.target.blur(); }
  if (event.key === "Enter" && event.target.matches("textarea.v")) { event.preventDefault(); event.target.blur(); }
});

document.addEventListener("keyup", (event) => { if (event.key === "b") blink?.release(); });
addEventListener("blur", () => blink?.release());

document.addEventListener("submit", (event) => {
  const question = event.target.dataset.confirm;
  if (question && !confirm(question)) event.preventDefault();
});

// What somebody types while the page's body is swapped (an answer to the value before, another window's change)
// goes on where it was; what was typed and left or entered meanwhile is sent after it.
let underway = null;
document.addEventListener("htmx:beforeSwap", (event) => {
  const { elt, parameters } = event.detail.requestConfig ?? {}, active = document.activeElement;
  // a refresh that was on its way when something was entered: the answer to that is newer, and must find its field
  if (elt?.id === "stage" && document.querySelector("#stage .htmx-request:not(.forces)")) {
    event.detail.shouldSwap = false;
    refresh();
    return;
  }
  const typed = [...document.querySelectorAll("#stage input.v[id], #stage textarea.v[id]")]
    .filter((e) => e.value !== e.defaultValue && !(e === elt && e.value === parameters?.value))
    .map((e) => ({ id: e.id, value: e.value, late: e.dataset.late }));
  const focus = active?.matches("#stage input.v[id], #stage textarea.v[id]") ? { id: active.id, ends: [active.selectionStart, active.selectionEnd] } : null;
  underway = { typed, focus };
});
new Completion(document.body);

document.addEventListener("input", ({ target }) => { // long lists narrow as one types
  if (!target.dataset?.narrow) return;
  const words = target.value.toLowerCase().split(/\s+/).filter(Boolean);
  for (const entry of document.querySelectorAll(target.dataset.narrow)) {
    const text = `${entry.dataset.patches} ${entry.textContent}`.toLowerCase();
    entry.hidden = !words.every((word) => text.includes(word));
  }
});

const send = (except) => {
  for (const field of document.querySelectorAll("#stage [data-unsent]")) if (field !== except || field.dataset.late) field.dispatchEvent(new Event("change", { bubbles: true }));
};
document.addEventListener("change", ({ target }) => {
  delete target.dataset.unsent;
  delete target.dataset.late;
  if (target.classList.contains("htmx-request")) target.dataset.late = "1"; // entered before the answer to the value before
}, true);
document.addEventListener("focusout", () => setTimeout(() => send(document.activeElement), 80));
document.addEventListener("keydown", ({ key, target }) => { // what a swap put back is no change of its own to the browser
  if (key === "Enter" && target.dataset?.unsent) { target.dataset.late = "1"; send(null); }
});
document.addEventListener("htmx:afterSwap", (event) => {
  if (!underway || event.target.id !== "stage") return;
  const { typed, focus } = underway;
  underway = null;
  const field = focus && document.getElementById(focus.id);
  field?.focus();
  for (const { id, value, late } of typed) {
    const found = document.getElementById(id);
    if (!found || found.value === value) continue;
    found.value = value;
    found.dataset.unsent = "1";
    if (late) found.dataset.late = late;
  }
  setTimeout(() => send(document.activeElement), 80); // once the new fields are at work
  field?.setSelectionRange(...focus.ends);
});

document.addEventListener("htmx:afterSwap", (event) => { const stage = document.getElementById("stage"); if (stage && (event.detail.target.id === "stage" || !event.detail.target.isConnected)) opened(stage); });

/** The reason that an answer gives for a refusal, as a sentence; "" when it gives none. */
function told(event) {
  try {
    const { detail } = JSON.parse(event.detail.xhr.responseText);
    return typeof detail === "string" ? `${detail[0].toUpperCase()}${detail.slice(1)}.`.replace("..", ".") : "";
  } catch { return ""; }
}

for (const failure of ["htmx:responseError", "htmx:sendError"]) {
  document.addEventListener(failure, (event) => {
    const stage = document.getElementById("stage");
    stage?.querySelector(".lost")?.remove();
    stage?.prepend(Object.assign(document.createElement("p"), { className: "note bad lost", role: "alert", textContent: `Brook did not take this; what you typed is still here. ${told(event) || "Is the server running? Try again."}` }));
  });
}

opened(document.getElementById("stage"));
new Find(document.getElementById("find"));
focusAddressed();
guide();
if (document.body.dataset.events) listen(document.body.dataset.events);
