// Lengths and places in words, rounded.

const pick = (size, units) => units.findLast(([, factor]) => size >= 0.9999 * factor) ?? units[0];

function said(value, units, digits = 4) {
  const [unit, factor] = pick(Math.abs(value), units);
  return `${Number((value / factor).toPrecision(digits))} ${unit}`.replace("-", "−");
}

export const length = (m) => (m === 0 ? "0 mm" : said(m, [["µm", 1e-6], ["mm", 1e-3], ["m", 1], ["km", 1000]]));
export const area = (m2) => (m2 === 0 ? "0 mm²" : said(m2, [["mm²", 1e-6], ["cm²", 1e-4], ["m²", 1]]));
export const place = (at) => ["x", "y", "z"].map((name, k) => `${name} ${(1000 * at[k]).toFixed(1)}`).join(", ").replaceAll("-", "−") + " mm";
export const mm = (m) => `${Number((1000 * m).toFixed(3))} mm`;
export const spot = (at, patch = "") => ({ patch, x: mm(at[0]), y: mm(at[1]), z: mm(at[2]) });
