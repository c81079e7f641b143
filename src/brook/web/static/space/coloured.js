// Layers of a picture in space as the canvas knows them: surfaces coloured by values, strokes, and what is read off them.

/** What the server packed: a heading and arrays behind it (see `Drawn.packed`). */
export async function unpack(address) {
  const answer = await fetch(address, { headers: { Accept: "application/json" } });
  if (!answer.ok) {
    let why = "the server gave no answer; load the page again";
    try { why = (await answer.json()).detail; } catch { /* said as it is */ }
    throw new Error(why);
  }
  const bytes = await answer.arrayBuffer(), size = new DataView(bytes).getUint32(0, true);
  const heading = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, size)));
  const arrays = {};
  let at = 4 + size;
  for (const [name, [kind, count]] of Object.entries(heading.arrays)) {
    arrays[name] = new (kind === "u32" ? Uint32Array : Float32Array)(bytes, at, count);
    at += 4 * count;
  }
  return { arrays, numbers: heading.numbers, words: heading.words };
}

/** Shares from 0 to 1 of values in a range: even, or by their logarithms; in so many bands where there are any. */
export function sharesOf(values, { range: [low, high], log = false, bands = 0 }, into = new Float32Array(values.length)) {
  const from = log ? Math.log(Math.max(low, 1e-300)) : low, by = 1 / ((log ? Math.log(Math.max(high, 1e-300)) : high) - from || 1);
  for (let k = 0; k < values.length; k++) {
    const v = log ? Math.log(Math.max(values[k], 1e-300)) : values[k], share = (v - from) * by;
    into[k] = share < 0 ? 0 : share > 1 ? 1 : share; // nan stays nan
  }
  return bands ? into.map((s) => (s === 1 ? 1 - 0.5 / bands : (Math.floor(s * bands) + 0.5) / bands)) : into;
}

export class Coloured {
  /**
   * `points` from the middle of the shape; `triangles` and `edges` number them; `strokes` are {points, values, colour, width}, each segment
   * two places; a thing with an `own` range is coloured by that, from end to end. What is `lit` shows its form by light, what is not shows colours as they stand in the legend.
   */
  constructor({ points, triangles = null, values = null, edges = null, strokes = [], lit = false, colour = "#c9c2b3", clipped = false, nearer = 0, labels = [], own = null }) {
    Object.assign(this, { points, triangles, values, edges, strokes, lit, colour, clipped, nearer, labels, own, count: triangles ? triangles.length / 3 : 0 });
  }

  /** Shares of the colour map at the points of a thing with values, made anew when the colours change. */
  static shares(thing, colours) {
    if (thing.sharedBy !== colours.version) {
      thing.shares = sharesOf(thing.values, thing.own ? { range: thing.own } : { ...colours, bands: 0 }, thing.shares);
      thing.sharedBy = colours.version;
    }
    return thing.shares;
  }

  /** Means over triangles with their areas, for the legend; of strokes, where there is nothing else, with their lengths. */
  samples() { return (this.sampled ??= this.own ? null : this.values ? this.ofTriangles() : this.ofStrokes()); }

  ofTriangles() {
    const { points: p, triangles: t, values } = this, value = new Float32Array(this.count), weight = new Float32Array(this.count);
    for (let n = 0; n < this.count; n++) {
      const a = 3 * t[3 * n], b = 3 * t[3 * n + 1], c = 3 * t[3 * n + 2];
      const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2], vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
      value[n] = (values[a / 3] + values[b / 3] + values[c / 3]) / 3;
      weight[n] = Number.isFinite(value[n]) ? Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 2 : 0;
    }
    return { value, weight, ...ends(values) };
  }

  ofStrokes() {
    const stroke = this.strokes.find((s) => s.values && !s.own);
    if (!stroke) return null;
    const count = stroke.points.length / 6, value = new Float32Array(count), weight = new Float32Array(count), p = stroke.points;
    for (let n = 0, i = 0; n < count; n++, i += 6) {
      value[n] = (stroke.values[2 * n] + stroke.values[2 * n + 1]) / 2;
      weight[n] = Number.isFinite(value[n]) ? Math.hypot(p[i + 3] - p[i], p[i + 4] - p[i + 1], p[i + 5] - p[i + 2]) : 0;
    }
    return { value, weight, lines: true, ...ends(stroke.values) };
  }

  /** The first triangle along a ray: its distance, the place, and the value there (undefined where there is none). */
  hit([ox, oy, oz], [dx, dy, dz], plane, within = Infinity) {
    const { points: p, triangles: t, values } = this;
    let found = null, best = within;
    for (let n = 0; n < this.count; n++) {
      const a = 3 * t[3 * n], b = 3 * t[3 * n + 1], c = 3 * t[3 * n + 2];
      const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2], vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
      const hx = dy * vz - dz * vy, hy = dz * vx - dx * vz, hz = dx * vy - dy * vx, det = ux * hx + uy * hy + uz * hz;
      if (det === 0) continue;
      const sx = ox - p[a], sy = oy - p[a + 1], sz = oz - p[a + 2], u = (sx * hx + sy * hy + sz * hz) / det;
      if (u < 0 || u > 1) continue;
      const qx = sy * uz - sz * uy, qy = sz * ux - sx * uz, qz = sx * uy - sy * ux, v = (dx * qx + dy * qy + dz * qz) / det;
      if (v < 0 || u + v > 1) continue;
      const s = (vx * qx + vy * qy + vz * qz) / det;
      if (s <= 0 || s >= best) continue;
      if (this.clipped && plane && plane[0] * (ox + s * dx) + plane[1] * (oy + s * dy) + plane[2] * (oz + s * dz) + plane[3] < 0) continue;
      best = s;
      found = { distance: s, at: [ox + s * dx, oy + s * dy, oz + s * dz], value: values && !this.own ? (1 - u - v) * values[a / 3] + u * values[b / 3] + v * values[c / 3] : undefined };
    }
    return found;
  }
}

function ends(values) {
  let low = Infinity, high = -Infinity;
  for (const v of values) { if (v < low) low = v; if (v > high) high = v; }
  return { low, high };
}

/** Lines as segments: places, starts of each, and values at places. */
export function segmentsOf(at, starts, values) {
  const count = at.length / 3 - (starts.length - 1), points = new Float32Array(6 * count), along = values ? new Float32Array(2 * count) : null;
  let n = 0;
  for (let line = 0; line + 1 < starts.length; line++) {
    for (let k = starts[line]; k + 1 < starts[line + 1]; k++, n++) {
      points.set(at.subarray(3 * k, 3 * k + 6), 6 * n);
      if (along) { along[2 * n] = values[k]; along[2 * n + 1] = values[k + 1]; }
    }
  }
  return { points, values: along };
}

const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const unit = (a) => { const size = Math.hypot(...a) || 1; return a.map((v) => v / size); };

/** Ribbons along lines, `width` m wide, turned as the fluid turns (`turn` in rad at each place); carried along without twist besides. */
export function ribbonsOf(at, starts, values, turn, width) {
  const count = at.length / 3, points = new Float32Array(6 * count), along = values ? new Float32Array(2 * count) : null, triangles = [];
  for (let line = 0; line + 1 < starts.length; line++) {
    let side = null;
    for (let k = starts[line]; k < starts[line + 1]; k++) {
      const a = Math.max(starts[line], k - 1), b = Math.min(starts[line + 1] - 1, k + 1);
      const way = unit([0, 1, 2].map((i) => at[3 * b + i] - at[3 * a + i]));
      side ??= cross(way, way.map(Math.abs).indexOf(Math.min(...way.map(Math.abs))) === 2 ? [0, 0, 1] : [0, 1, 0]);
      const off = side[0] * way[0] + side[1] * way[1] + side[2] * way[2];
      side = unit(side.map((v, i) => v - off * way[i]));
      const other = cross(way, side), [c, s] = [Math.cos(turn[k]), Math.sin(turn[k])];
      for (const [n, sign] of [[2 * k, -0.5], [2 * k + 1, 0.5]]) {
        for (let i = 0; i < 3; i++) points[3 * n + i] = at[3 * k + i] + sign * width * (c * side[i] + s * other[i]);
        if (along) along[n] = values[k];
      }
      if (k > starts[line]) triangles.push(2 * k - 2, 2 * k - 1, 2 * k, 2 * k - 1, 2 * k + 1, 2 * k);
    }
  }
  return { points, triangles: Uint32Array.from(triangles), values: along };
}

/** Arrows as strokes: a shaft and two barbs in the plane that `across` is normal to, one for all or of each; as long as `step` m, or in proportion to speed. */
export function arrowsOf(at, way, step, across, equal) {
  const count = at.length / 3, sizes = Float32Array.from({ length: count }, (_, k) => Math.hypot(way[3 * k], way[3 * k + 1], way[3 * k + 2]));
  const sorted = sizes.slice().sort(), most = sorted[Math.floor(0.98 * (count - 1))] || 1, points = [];
  for (let k = 0; k < count; k++) {
    const long = equal ? 0.85 * step : 1.25 * step * Math.min(1.4, sizes[k] / most);
    if (!(sizes[k] > 1e-6 * most) || long < 0.04 * step) continue;
    const u = [0, 1, 2].map((i) => way[3 * k + i] / sizes[k]), beside = unit(cross(u, across.length === 3 ? across : across.subarray(3 * k, 3 * k + 3))), p = [0, 1, 2].map((i) => at[3 * k + i]);
    const tip = p.map((v, i) => v + 0.5 * long * u[i]), tail = p.map((v, i) => v - 0.5 * long * u[i]), head = Math.min(0.32 * long, 0.3 * step);
    points.push(...tail, ...tip);
    for (const sign of [-1, 1]) points.push(...tip, ...tip.map((v, i) => v - head * (u[i] + sign * 0.55 * beside[i])));
  }
  return Float32Array.from(points);
}
