// A surface as the canvas knows it: its arrays, what of it is shown and how, and questions about it.

async function array(address, Kind) {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error("the shape is no longer kept; load the page again");
  return new Kind(await answer.arrayBuffer());
}

export class Shape {
  /** Loads the arrays of a surface. */
  static async load(data) {
    const names = { points: ["f32", Float32Array], triangles: ["u32", Uint32Array], number: ["u32", Uint32Array], starts: ["u32", Uint32Array], features: ["u32", Uint32Array] };
    const found = await Promise.all(Object.entries(names).map(([name, [suffix, Kind]]) => array(`${data.arrays}/${name}.${suffix}`, Kind)));
    return new Shape(data, Object.fromEntries(Object.keys(names).map((name, k) => [name, found[k]])));
  }

  constructor(data, arrays) {
    Object.assign(this, arrays);
    this.data = data;
    this.middle = data.box[0].map((low, k) => (low + data.box[1][k]) / 2);
    this.half = data.box[0].map((low, k) => (data.box[1][k] - low) / 2);
    this.count = this.triangles.length / 3;
    Object.assign(this, { visible: data.patches.map(() => true), lit: "", edgesShown: false, over: new Map(), plane: null, layers: new Map(), colours: null });
  }

  /** Other words and colours for the same surface. */
  take(data) {
    this.data = data;
    this.version = (this.version ?? 0) + 1;
  }

  /** Hides patches by name. */
  hide(names) { this.visible = this.data.patches.map((patch) => !names.has(patch.name)); }

  /** Lays triangles (in their drawn order) over the shape in a colour; none takes them away. */
  lay(key, triangles, colour) {
    this.over.delete(key);
    if (!triangles || !triangles.length) return;
    const index = new Uint32Array(3 * triangles.length);
    triangles.forEach((t, k) => index.set(this.triangles.subarray(3 * t, 3 * t + 3), 3 * k));
    this.over.set(key, { index, colour });
  }

  /** Lays lines over the shape, each segment six numbers in m; they are seen through it. */
  draw(key, segments, colour) {
    this.over.delete(key);
    if (!segments.length) return;
    const places = new Float32Array(6 * segments.length);
    segments.forEach((s, k) => s.forEach((v, i) => { places[6 * k + i] = v - this.middle[i % 3]; }));
    this.over.set(key, { places, colour });
  }

  /** Where triangles of the surface, by their own number, stand in the drawn order. */
  drawnOrder(numbers) {
    if (!this.place) {
      this.place = new Uint32Array(this.count);
      this.number.forEach((n, k) => { this.place[n] = k; });
    }
    return numbers.map((n) => this.place[n]);
  }

  /** The patch that a drawn triangle is of. */
  patchOf(triangle) {
    let k = 0;
    while (triangle >= this.starts[k + 1]) k++;
    return k;
  }

  corner(triangle, i) {
    const p = 3 * this.triangles[3 * triangle + i];
    return [this.points[p], this.points[p + 1], this.points[p + 2]];
  }

  /** The first visible triangle along a ray (from the middle of the box): its number in drawn order, the distance, the place. */
  hit(origin, way) {
    const { points: p, triangles: t, plane } = this;
    const [ox, oy, oz] = origin, [dx, dy, dz] = way;
    let best = Infinity, found = -1;
    this.visible.forEach((shown, k) => {
      if (!shown || this.data.patches[k].around) return; // a tunnel is looked through
      for (let n = this.starts[k]; n < this.starts[k + 1]; n++) {
        const a = 3 * t[3 * n], b = 3 * t[3 * n + 1], c = 3 * t[3 * n + 2];
        const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2];
        const vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
        const hx = dy * vz - dz * vy, hy = dz * vx - dx * vz, hz = dx * vy - dy * vx;
        const det = ux * hx + uy * hy + uz * hz;
        if (det === 0) continue;
        const sx = ox - p[a], sy = oy - p[a + 1], sz = oz - p[a + 2];
        const u = (sx * hx + sy * hy + sz * hz) / det;
        if (u < 0 || u > 1) continue;
        const qx = sy * uz - sz * uy, qy = sz * ux - sx * uz, qz = sx * uy - sy * ux;
        const v = (dx * qx + dy * qy + dz * qz) / det;
        if (v < 0 || u + v > 1) continue;
        const s = (vx * qx + vy * qy + vz * qz) / det;
        if (s <= 0 || s >= best) continue;
        if (plane && plane[0] * (ox + s * dx) + plane[1] * (oy + s * dy) + plane[2] * (oz + s * dz) + plane[3] < 0) continue;
        best = s;
        found = n;
      }
    });
    if (found < 0) return null;
    return { triangle: found, patch: this.patchOf(found), distance: best, at: [ox + best * dx, oy + best * dy, oz + best * dz] };
  }

  /** The first of all that is shown along a ray: of the layers, with their key and value, or of the shape itself. */
  seenAlong(origin, way) {
    let first = this.hit(origin, way);
    for (const [key, layer] of this.layers) {
      const hit = layer.hit(origin, way, this.plane, first?.distance);
      if (hit) first = { ...hit, layer: key, patch: -1 };
    }
    return first;
  }

  /** Triangles that hang together with one of them and bend by less than an angle from one to the next. */
  smooth(seed, angle) {
    if (!this.near) this.near = neighbours(this.triangles);
    const limit = Math.cos(angle), seen = new Set([seed]), queue = [seed];
    while (queue.length) {
      const here = queue.pop(), normal = this.normal(here);
      for (let i = 0; i < 3; i++) {
        const other = this.near[3 * here + i];
        if (other < 0 || seen.has(other)) continue;
        const theirs = this.normal(other);
        if (Math.abs(normal[0] * theirs[0] + normal[1] * theirs[1] + normal[2] * theirs[2]) > limit) { seen.add(other); queue.push(other); }
      }
    }
    return [...seen];
  }

  /** The edge of a hit's triangle that is nearest to it, drawn ones before others: its points, and the triangle over it or null. */
  edgeAt(hit) {
    if (!this.near) this.near = neighbours(this.triangles);
    const away = [0, 1, 2].map((i) => {
      const a = this.corner(hit.triangle, i), b = this.corner(hit.triangle, (i + 1) % 3);
      const u = b.map((v, k) => v - a[k]), w = hit.at.map((v, k) => v - a[k]);
      const t = Math.min(1, Math.max(0, u.reduce((sum, v, k) => sum + v * w[k], 0) / (u.reduce((sum, v) => sum + v * v, 0) || 1)));
      const drawn = this.linesAt(this.triangles[3 * hit.triangle + i]).includes(this.triangles[3 * hit.triangle + ((i + 1) % 3)]);
      return Math.hypot(...w.map((v, k) => v - t * u[k])) * (drawn ? 0.25 : 1);
    });
    const i = away.indexOf(Math.min(...away)), first = 3 * hit.triangle, over = this.near[first + i];
    return { ends: [this.triangles[first + i], this.triangles[first + ((i + 1) % 3)]], beside: over < 0 ? null : over };
  }

  /** Points along the drawn line that an edge is part of, up to where others meet it; null when it is in none. */
  featureLine(ends) {
    if (!this.linesAt(ends[0]).includes(ends[1])) return null;
    const walk = (from, to) => {
      const found = [to];
      for (let before = from, here = to; this.lines.get(here).length === 2 && here !== from; found.push(here)) {
        const next = this.lines.get(here).find((p) => p !== before);
        [before, here] = [here, next];
      }
      return found;
    };
    const forward = walk(ends[0], ends[1]);
    if (forward.at(-1) === ends[0]) return [ends[0], ...forward];
    return [...walk(ends[1], ends[0]).reverse(), ...forward];
  }

  /** The points that drawn lines join with one. */
  linesAt(point) {
    if (!this.lines) {
      this.lines = new Map();
      const put = (a, b) => { if (!this.lines.has(a)) this.lines.set(a, []); this.lines.get(a).push(b); };
      for (let k = 0; k < this.features.length; k += 2) { put(this.features[k], this.features[k + 1]); put(this.features[k + 1], this.features[k]); }
    }
    return this.lines.get(point) ?? [];
  }

  place3(point) { return [0, 1, 2].map((i) => this.points[3 * point + i]); }

  normal(triangle) {
    const [a, b, c] = [0, 1, 2].map((i) => this.corner(triangle, i));
    const u = a.map((v, i) => b[i] - v), w = a.map((v, i) => c[i] - v);
    const n = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
    const size = Math.hypot(...n) || 1;
    return n.map((v) => v / size);
  }

  area(triangles) {
    let total = 0;
    for (const t of triangles) {
      const [a, b, c] = [0, 1, 2].map((i) => this.corner(t, i));
      const u = a.map((v, i) => b[i] - v), w = a.map((v, i) => c[i] - v);
      total += Math.hypot(u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]) / 2;
    }
    return total;
  }
}

/** The triangle over each edge, -1 where there is none or more than one. */
function neighbours(triangles) {
  const count = triangles.length, near = new Int32Array(count).fill(-1), first = new Map();
  const most = triangles.reduce((a, b) => Math.max(a, b), 0) + 1;
  for (let k = 0; k < count; k++) {
    const a = triangles[k], b = triangles[k % 3 === 2 ? k - 2 : k + 1];
    const key = a < b ? a * most + b : b * most + a, other = first.get(key);
    if (other === undefined) first.set(key, k);
    else if (other >= 0) { near[k] = (other / 3) | 0; near[other] = (k / 3) | 0; first.set(key, -1 - other); }
    else { near[-1 - other] = -1; }
  }
  return near;
}
