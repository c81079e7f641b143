// Where cuts lie: directions, distances along them, and lengths as they are typed and said.

import { rounded } from "../numbers.js";

/** The direction of a cut, one long. */
export function normalOf({ across }) { const size = Math.hypot(...across); return across.map((v) => v / size); }

/** How far a cut lies along its direction, in m from the origin. */
export function atOf(cut) { const n = normalOf(cut); return cut.through.reduce((sum, v, i) => sum + v * n[i], 0); }

/** Between which distances along a direction a shape lies. */
export function boxAlong({ middle, half }, n) {
  const at = middle.reduce((sum, v, i) => sum + v * n[i], 0), reach = half.reduce((sum, v, i) => sum + v * Math.abs(n[i]), 0);
  return [at - reach, at + reach];
}

/** A direction by two angles in rad: round z from x, and up. */
export const turned = (round, up) => [Math.cos(up) * Math.cos(round), Math.cos(up) * Math.sin(round), Math.sin(up)];

export const millimetres = (metres) => `${Number((1000 * metres).toPrecision(4))} mm`.replace("-", "−");

/** A length as it was typed, in m; millimetres where no unit stands. */
export function inMillimetres(text) {
  const typed = /^\s*([-−+]?[\d.]+(?:e[-+]?\d+)?)\s*(mm|cm|m)?\s*$/i.exec(text);
  return typed ? Number(typed[1].replace("−", "-")) * { mm: 1e-3, cm: 1e-2, m: 1 }[(typed[2] ?? "mm").toLowerCase()] : NaN;
}

const VOLUMES = [["mm³", 1e-9], ["ml", 1e-6], ["l", 1e-3], ["m³", 1]];

/** A volume in the unit that suits it. */
export function volume(m3) {
  const [unit, one] = VOLUMES.findLast(([, size]) => m3 >= size) ?? VOLUMES[0];
  return `${rounded(m3 / one)} ${unit}`;
}

/** Where the handle of a cut is put, from the middle of the shape: amid what is drawn of it, or else of its plane. */
export function gripOf(cut, layer, { middle }) {
  const n = normalOf(cut), off = atOf(cut) - middle.reduce((sum, v, i) => sum + v * n[i], 0);
  const points = layer?.points;
  if (!points?.length) return n.map((v) => v * off);
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  for (let k = 0; k < points.length; k++) { const v = points[k]; if (v < low[k % 3]) low[k % 3] = v; if (v > high[k % 3]) high[k % 3] = v; }
  const at = low.map((v, i) => (v + high[i]) / 2), away = at.reduce((sum, v, i) => sum + v * n[i], 0) - off;
  return at.map((v, i) => v - away * n[i]);
}
