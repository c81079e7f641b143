// Pages with field canvases: Mesh, Results (one view) and Compare (all variants, linked).

import { FieldView } from "./field.js";
import { Legend } from "./legend.js";
import { pretty, rounded } from "./numbers.js";

const memory = (key) => {
  try { return JSON.parse(sessionStorage.getItem(key)); } catch { return null; }
};
const remember = (key, value) => sessionStorage.setItem(key, JSON.stringify(value));

let live = null;

/** A newer picture of the run that this page watches. */
export function newPicture(at) { live?.(at); }

export async function openViews(root) {
  live = null;
  const canvases = [...root.querySelectorAll("canvas.field")];
  if (!canvases.length) return;
  const strip = root.querySelector("#strip"), choice = root.querySelector("#quantity"), lines = root.querySelector("#lines");
  const page = document.body.dataset.page, cameraKey = `camera ${canvases[0].dataset.view}`, choiceKey = `quantity ${page}`;
  const option = () => choice.selectedOptions[0].dataset;

  const say = (view, at, value) => {
    if (!strip) return;
    if (!at) { strip.textContent = "\u00a0"; return; }
    const { words, unit = "", factor = 1 } = option();
    const where = `x ${(at[0] * 1000).toFixed(1)} mm, y ${(at[1] * 1000).toFixed(1)} mm`;
    const what = value === null ? "outside" : value === undefined ? "" : `${words} ${rounded(value * factor)} ${pretty(unit)}`;
    const who = views.length > 1 ? `${view.canvas.closest("figure").querySelector("a").textContent} · ` : "";
    strip.textContent = `${who}${where}${what ? ` · ${what}` : ""}`;
  };
  const link = (moved) => {
    remember(cameraKey, moved.camera);
    for (const view of views) if (view !== moved && view.mesh) { view.camera = moved.camera; view.draw(); }
  };
  const views = canvases.map((canvas) => new FieldView(canvas, { onMove: say, onView: link }));
  const legend = new Legend(root.querySelector("#legend"), (range) => {
    held = [...range];
    for (const view of views) { view.range = range; view.draw(); }
  });

  let held = null; // the range that was set by hand stays while a live picture changes
  const show = async (event) => {
    const quantity = choice.value;
    if (event) held = null;
    remember(choiceKey, quantity);
    await Promise.all(views.map((view) => view.show(quantity)));
    if (!quantity) legend.clear();
    else {
      const map = option().signed ? "signed" : "even";
      legend.set(views.map((view) => view.samples()), { words: option().words, unit: option().unit, factor: Number(option().factor), map }, held);
      for (const view of views) { view.range = legend.range; view.map = map; }
    }
    for (const view of views) { view.showLines = lines ? lines.checked : canvases[0].dataset.lines === "1"; view.draw(); }
    root.dataset.drawn = quantity || "mesh";
  };

  try {
    await Promise.all(views.map((view) => view.open()));
    const before = memory(choiceKey);
    if (before !== null && [...choice.options].some((o) => o.value === before)) choice.value = before;
    const camera = memory(cameraKey);
    if (camera && camera.page === undefined) for (const view of views) view.camera = camera;
    await show();
  } catch (error) {
    for (const canvas of canvases) canvas.replaceWith(Object.assign(document.createElement("p"), { className: "empty", textContent: `The picture cannot be shown: ${error.message}` }));
    return;
  }
  if (canvases[0].dataset.live) {
    let busy = false;
    live = async (at) => {
      if (busy || !root.isConnected) return;
      busy = true;
      canvases[0].dataset.at = at;
      try {
        await show();
        root.querySelector("#picture-at").textContent = `at iteration ${at}`;
      } catch { /* the run ended meanwhile; its page is about to change */ } finally { busy = false; }
    };
  }
  choice.addEventListener("change", show);
  lines?.addEventListener("change", show);
  root.querySelector("#fit")?.addEventListener("click", () => {
    sessionStorage.removeItem(cameraKey);
    for (const view of views) { view.fit(); view.draw(); }
  });
  root.querySelector("#reset-range")?.addEventListener("click", show);
  root.querySelector("#picture")?.addEventListener("click", () => savePicture(views[0], legend));
  const watch = new ResizeObserver(() => {
    if (!root.isConnected) { watch.disconnect(); return; }
    for (const view of views) { const camera = view.camera; view.resize(); view.camera = camera; view.draw(); }
  });
  watch.observe(root);
}

/** The view with its legend as a PNG. */
async function savePicture(view, legend) {
  view.draw();
  const svg = legend.holder.querySelector("svg");
  const tall = svg ? 90 * view.ratio : 0;
  const sheet = Object.assign(document.createElement("canvas"), { width: view.canvas.width, height: view.canvas.height + tall });
  const pen = sheet.getContext("2d");
  pen.fillStyle = "#fff";
  pen.fillRect(0, 0, sheet.width, sheet.height);
  pen.drawImage(view.canvas, 0, 0);
  if (svg) {
    const copy = svg.cloneNode(true);
    copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
    copy.setAttribute("width", 720 * view.ratio);
    copy.setAttribute("height", 78 * view.ratio);
    copy.setAttribute("font-family", "sans-serif");
    copy.setAttribute("font-size", "12");
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(new XMLSerializer().serializeToString(copy))}`;
    await image.decode();
    pen.drawImage(image, 8 * view.ratio, view.canvas.height + 6 * view.ratio);
  }
  const link = document.createElement("a");
  link.download = `${view.canvas.dataset.name}${view.quantity ? `-${view.quantity}` : ""}.png`;
  link.href = sheet.toDataURL("image/png");
  document.body.append(link);
  link.click();
  link.remove();
}
