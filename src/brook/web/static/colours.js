// Perceptually even colour maps: straight lines in OKLab (Ottosson 2020) between a few anchors of rising lightness.

const ANCHORS = {
  even: ["#1d2440", "#20506b", "#1f7f7c", "#5fa873", "#b5c877", "#f6ecc4"],
  signed: ["#123c6b", "#3f83a8", "#a9cbd2", "#f4f1ea", "#dcae8c", "#b4633a", "#6e2412"],
};
export const STEPS = 256;

const toLinear = (c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);
const toGamma = (c) => (c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055);

function oklab(hex) {
  const [r, g, b] = [1, 3, 5].map((i) => toLinear(parseInt(hex.slice(i, i + 2), 16) / 255));
  const l = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const m = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const s = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ];
}

function rgb([L, a, b]) {
  const l = (L + 0.3963377774 * a + 0.2158037573 * b) ** 3;
  const m = (L - 0.1055613458 * a - 0.0638541728 * b) ** 3;
  const s = (L - 0.0894841775 * a - 1.291485548 * b) ** 3;
  return [
    4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s,
    -1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s,
    -0.0041960863 * l - 0.7034186147 * m + 1.707614701 * s,
  ].map((c) => Math.round(255 * toGamma(Math.min(1, Math.max(0, c)))));
}

const made = new Map();

/** Bytes (256 × RGBA) of a colour map: `even` for magnitudes, `signed` round zero. */
export function colourMap(name) {
  if (!made.has(name)) {
    const anchors = ANCHORS[name].map(oklab);
    const bytes = new Uint8Array(4 * STEPS);
    for (let i = 0; i < STEPS; i++) {
      const at = (i / (STEPS - 1)) * (anchors.length - 1);
      const k = Math.min(anchors.length - 2, Math.floor(at));
      const mixed = anchors[k].map((v, j) => v + (at - k) * (anchors[k + 1][j] - v));
      bytes.set([...rgb(mixed), 255], 4 * i);
    }
    made.set(name, bytes);
  }
  return made.get(name);
}

/** The colour of a share from 0 to 1, for SVG. */
export function colourAt(name, share) {
  const map = colourMap(name);
  const i = 4 * Math.round(Math.min(1, Math.max(0, share)) * (STEPS - 1));
  return `rgb(${map[i]},${map[i + 1]},${map[i + 2]})`;
}
