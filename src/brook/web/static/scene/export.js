// A picture in space as a file that can hang in a report: title, picture, names, scale and axes, legend.

import { lookOf } from "./scene.js";

const FONT = "system-ui, sans-serif";

export async function savePicture(page) {
  const { view, root, legend } = page, ratio = Math.min(2, devicePixelRatio) * (view.painter.finer ? 2 : 1);
  view.occlude(); // names that are behind something go
  view.draw(true);
  const wide = view.width * ratio, head = 34 * ratio, tall = view.height * ratio, foot = 92 * ratio;
  const sheet = Object.assign(document.createElement("canvas"), { width: wide, height: head + tall + foot }), pen = sheet.getContext("2d");
  Object.assign(pen, { fillStyle: "#fff" });
  pen.fillRect(0, 0, sheet.width, sheet.height);
  pen.drawImage(view.canvas, 0, head, wide, tall);
  Object.assign(pen, { fillStyle: "#1e2a2e", font: `600 ${16 * ratio}px ${FONT}` });
  pen.fillText(root.querySelector("#plate-shown") ? `${page.data.title} · ${JSON.parse(root.querySelector("#plate-shown").dataset.plate).title}` : `${page.data.title} · ${(page.unit ?? page.option).words}`, 10 * ratio, 22 * ratio);
  names(view, pen, ratio, head);
  axes(view, pen, ratio, head);
  const svg = legend.holder.querySelector("svg");
  if (svg) {
    const copy = svg.cloneNode(true);
    for (const handle of copy.querySelectorAll(".handle rect")) handle.remove();
    for (const [key, value] of [["xmlns", "http://www.w3.org/2000/svg"], ["width", 720 * ratio], ["height", 78 * ratio], ["font-family", FONT], ["font-size", "12"]]) copy.setAttribute(key, value);
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(new XMLSerializer().serializeToString(copy))}`;
    await image.decode();
    pen.drawImage(image, 4 * ratio, head + tall + 8 * ratio);
  }
  save(`${page.data.name}-${page.choice.value}.png`, sheet.toDataURL("image/png"));
}

function save(name, href) {
  const link = Object.assign(document.createElement("a"), { download: name, href });
  document.body.append(link);
  link.click();
  link.remove();
}

/** What is seen as a scene for other programs: surfaces and lines with their colours. */
export async function saveScene(page) {
  const { source, choice } = page, { less, moment, readout, run } = source;
  const plate = { name: "seen", title: page.option.words, quantity: choice.value, layers: page.layers, look: lookOf(page.view), colours: page.how.value, range: page.held ?? null, less: less?.name ?? "" };
  page.tell("The scene is made …");
  const answer = await fetch(`${readout}/scene/${run}.glb`, {
    method: "POST", headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ plate: JSON.stringify(plate), less: less ? `${less.name}:${less.run}` : "", moment: moment ?? "" }),
  });
  if (!answer.ok) { page.tell(`No scene: ${(await answer.json()).detail}.`); return; }
  const there = URL.createObjectURL(await answer.blob());
  save(`${page.data.name}-${choice.value}.glb`, there);
  setTimeout(() => URL.revokeObjectURL(there), 60_000);
  page.tell("The scene is saved.");
}

function names(view, pen, ratio, head) {
  const box = view.holder.getBoundingClientRect();
  Object.assign(pen, { font: `${12 * ratio}px ${FONT}`, textBaseline: "middle" });
  for (const label of view.marks.labels) {
    if (label.element.hidden || label.kind === "ring") continue;
    const at = label.element.getBoundingClientRect(), x = (at.left - box.left) * ratio, y = (at.top - box.top) * ratio + head;
    pen.fillStyle = "rgba(255, 255, 255, 0.85)";
    pen.fillRect(x, y, at.width * ratio, at.height * ratio);
    pen.fillStyle = "#1e2a2e";
    pen.fillText(label.element.textContent, x + 5 * ratio, y + (at.height * ratio) / 2);
  }
}

function axes(view, pen, ratio, head) {
  const { camera, marks, width, height } = view, x0 = (width - 52) * ratio, y0 = head + (height - 52) * ratio;
  Object.assign(pen, { strokeStyle: "#1e2a2e", fillStyle: "#1e2a2e", lineWidth: 1.6 * ratio, textAlign: "center" });
  for (const { way, text } of marks.axes) {
    const x = 30 * way.dot(camera.right) * ratio, y = -30 * way.dot(camera.upward) * ratio;
    pen.beginPath();
    pen.moveTo(x0, y0);
    pen.lineTo(x0 + x, y0 + y);
    pen.stroke();
    pen.fillText(text.textContent, x0 + 1.28 * x, y0 + 1.28 * y);
  }
  pen.textAlign = "left";
  pen.save();
  pen.translate(8 * ratio, head + (height - 40) * ratio);
  pen.scale(ratio, ratio);
  pen.lineWidth = 1.6;
  pen.stroke(new Path2D(marks.bar.getAttribute("d")));
  pen.font = `12px ${FONT}`;
  pen.fillText(marks.barText.textContent, 6, 10);
  pen.restore();
}
