// Numbers as a person reads them.

/** `value` to so many significant digits, without an exponent where it can be read. */
export function rounded(value, digits = 3) {
  if (value === null || !Number.isFinite(value)) return "–";
  if (value === 0) return "0";
  const size = Math.floor(Math.log10(Math.abs(value)));
  const text = size < -4 || size > 6 ? value.toExponential(digits - 1) : value.toFixed(Math.max(0, digits - 1 - size));
  return text.replaceAll("-", "−");
}

/** A unit as it is written on screen. */
export const pretty = (unit) => unit.replace("degC", "°C").replace("^2", "²").replace("^3", "³").replace(/\bu(?=[mN])/, "µ");

/** Round steps between two values, about so many of them. */
export function roundTicks(low, high, count = 6) {
  const span = high - low;
  if (!(span > 0)) return [low];
  const raw = span / count;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((f) => f * power).find((s) => s >= raw * 0.999);
  const ticks = [];
  for (let k = Math.ceil(low / step - 1e-9); k * step <= high + 1e-9 * span; k++) ticks.push(k * step);
  const places = Math.max(0, -Math.floor(Math.log10(step) + 1e-9));
  return ticks.map((t) => ({ value: t, text: t.toFixed(places) }));
}

const TIMES = [["ms", 1e-3], ["s", 1], ["min", 60], ["h", 3600], ["d", 86400]];

/** A time in the unit that suits it. */
export function seconds(value) {
  const [unit, size] = TIMES.findLast(([, one]) => value >= one) ?? TIMES[0];
  return `${rounded(value / size)} ${unit}`;
}
