// What is drawn over a field: streamlines, arrows, and lines along which values are read.

import { array, mixed } from "./layer.js";

const SPACING = 30;

/** Streamlines with a small arrow in the middle of each. `lines` are {places: [x, y, …], closed}. */
export function streamlines(lines) {
  return (view, pen) => {
    const ratio = view.ratio;
    pen.save();
    for (const [colour, width] of [["rgba(18,26,30,0.45)", 2.4], ["rgba(255,255,255,0.92)", 1]]) {
      pen.strokeStyle = colour;
      pen.lineWidth = width * ratio;
      pen.beginPath();
      for (const { places } of lines) for (let k = 0; k < places.length; k += 2) {
        const [x, y] = view.pixel([places[k], places[k + 1]]);
        if (k) pen.lineTo(x, y); else pen.moveTo(x, y);
      }
      pen.stroke();
    }
    pen.fillStyle = "#fff";
    for (const { places } of lines) {
      if (places.length < 8) continue;
      const k = 2 * Math.floor(places.length / 4);
      head(pen, view.pixel([places[k - 2], places[k - 1]]), view.pixel([places[k], places[k + 1]]), 5 * ratio);
    }
    pen.restore();
  };
}

function head(pen, from, to, size) {
  const turn = Math.atan2(to[1] - from[1], to[0] - from[0]);
  pen.save();
  pen.translate(...to);
  pen.rotate(turn);
  pen.beginPath();
  pen.moveTo(size * 0.8, 0);
  pen.lineTo(-size * 0.7, size * 0.65);
  pen.lineTo(-size * 0.7, -size * 0.65);
  pen.fill();
  pen.restore();
}

/** Arrows on an even grid of the screen. The fastest reach from one to the next; `scale` makes all longer. */
export async function arrows(view, scale = 1) {
  const layer = view.layer;
  const [u, v] = await Promise.all([...(view.canvas.dataset.axes ?? "xy")].map((axis) => array(view.address(`velocity_${axis}`))));
  const speeds = Float32Array.from({ length: Math.min(u.length, 20000) }, (_, k) => { const i = Math.floor((k * u.length) / Math.min(u.length, 20000)); return Math.hypot(u[i], v[i]); }).sort();
  const top = speeds[Math.floor(0.98 * (speeds.length - 1))] || 1;
  return (shown, pen) => {
    if (shown.layer !== layer) return; // another variant blinks
    const step = SPACING * shown.ratio, longest = 0.95 * step * scale;
    pen.save();
    pen.lineWidth = 1.2 * shown.ratio;
    for (let y = step / 2; y < shown.canvas.height; y += step) for (let x = step / 2; x < shown.canvas.width; x += step) {
      const place = [shown.centre[0] + (x - shown.canvas.width / 2) * shown.perPixel, shown.centre[1] - (y - shown.canvas.height / 2) * shown.perPixel];
      const found = layer.locate(place);
      if (!found) continue;
      const [a, b] = [mixed(u, found), mixed(v, found)];
      const length = (Math.hypot(a, b) / top) * longest;
      if (length < 1.5 * shown.ratio) { pen.fillStyle = "rgba(255,255,255,0.8)"; pen.fillRect(x - 1, y - 1, 2, 2); continue; }
      const [dx, dy] = [(a / Math.hypot(a, b)) * length, (-b / Math.hypot(a, b)) * length];
      const [from, to] = [[x - dx / 2, y - dy / 2], [x + dx / 2, y + dy / 2]];
      for (const [colour, extra] of [["rgba(18,26,30,0.55)", 1.4 * shown.ratio], ["#fff", 0]]) {
        pen.strokeStyle = pen.fillStyle = colour;
        pen.lineWidth = 1.3 * shown.ratio + extra;
        pen.beginPath();
        pen.moveTo(...from);
        pen.lineTo(...to);
        pen.stroke();
        if (!extra) head(pen, from, to, Math.min(5 * shown.ratio, 0.45 * length));
      }
    }
    pen.restore();
  };
}

/** Lines of profiles with their names; `lines` are {title, start, end} in m. */
export function profileLines(lines) {
  return (view, pen) => {
    pen.save();
    pen.font = `${12 * view.ratio}px Plex`;
    for (const { title, places } of lines) {
      const drawn = places.map((at) => view.pixel(at)), [a, b] = [drawn[0], drawn.at(-1)];
      for (const [colour, width] of [["#fff", 4.5], ["#b4532a", 2]]) {
        pen.strokeStyle = colour;
        pen.lineWidth = width * view.ratio;
        pen.beginPath();
        drawn.forEach((at, k) => (k ? pen.lineTo(...at) : pen.moveTo(...at)));
        pen.stroke();
      }
      for (const [x, y] of [a, b]) { pen.fillStyle = "#b4532a"; pen.beginPath(); pen.arc(x, y, 3.5 * view.ratio, 0, 7); pen.fill(); }
      if (!title) continue;
      const width = pen.measureText(title).width, [x, y] = [Math.min(a[0] + 7 * view.ratio, view.canvas.width - width - 4), Math.max(14 * view.ratio, a[1] - 6 * view.ratio)];
      pen.fillStyle = "rgba(255,255,255,0.85)";
      pen.fillRect(x - 3, y - 12 * view.ratio, width + 6, 16 * view.ratio);
      pen.fillStyle = "#7a3415";
      pen.fillText(title, x, y);
    }
    pen.restore();
  };
}
