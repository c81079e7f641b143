// A surface in the scene: one mesh a patch over common points, lines where it bends, and what is laid over it.

import {
  BufferAttribute, BufferGeometry, Color, DoubleSide, Group, LineBasicMaterial, LineSegments, Mesh, MeshLambertMaterial,
} from "../vendor/three/three.module.min.js";

const INSIDE = new Color("#cfc6b4"); // what is seen from behind, whatever its patch
const LIT = 0.22;

async function array(address, Kind) {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error("the shape is no longer kept; load the page again");
  return new Kind(await answer.arrayBuffer());
}

/** Colours of the patch outside, softened so that what is laid over stands out; one colour inside. */
function material(colour) {
  const made = new MeshLambertMaterial({ color: new Color(colour).lerp(new Color("#ffffff"), 0.16), side: DoubleSide, flatShading: true, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
  made.onBeforeCompile = (shader) => {
    shader.uniforms.inside = { value: INSIDE };
    shader.fragmentShader = shader.fragmentShader
      .replace("void main() {", "uniform vec3 inside;\nvoid main() {")
      .replace("#include <color_fragment>", "#include <color_fragment>\nif (!gl_FrontFacing) diffuseColor.rgb = inside;");
  };
  return made;
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
    this.group = new Group();
    this.position = new BufferAttribute(this.points, 3);
    this.meshes = data.patches.map((patch, k) => {
      const geometry = new BufferGeometry();
      geometry.setAttribute("position", this.position);
      geometry.setIndex(new BufferAttribute(this.triangles.subarray(3 * this.starts[k], 3 * this.starts[k + 1]), 1));
      const mesh = new Mesh(geometry, material(patch.colour));
      mesh.frustumCulled = false;
      this.group.add(mesh);
      return mesh;
    });
    this.lines = this.segments(this.features, "#1e2a2e", 0.55);
    this.group.add(this.lines);
    this.over = new Map();
  }

  /** Lines between points by their numbers. */
  segments(ends, colour, opacity = 1) {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", this.position);
    geometry.setIndex(new BufferAttribute(ends, 1));
    const lines = new LineSegments(geometry, new LineBasicMaterial({ color: colour, transparent: opacity < 1, opacity }));
    lines.frustumCulled = false;
    return lines;
  }

  /** Edges of all triangles; made when first wanted. */
  showEdges(wanted) {
    if (wanted && !this.edges) {
      const t = this.triangles, ends = new Uint32Array(t.length * 2);
      for (let k = 0, n = 0; k < t.length; k += 3) for (let i = 0; i < 3; i++) { ends[n++] = t[k + i]; ends[n++] = t[k + ((i + 1) % 3)]; }
      this.edges = this.segments(ends, "#1e2a2e", 0.28);
      this.group.add(this.edges);
    }
    if (this.edges) this.edges.visible = wanted;
    this.lines.material.opacity = wanted ? 0.9 : 0.55;
  }

  /** Hides patches by name; gives back those there are. */
  hide(names) {
    this.data.patches.forEach((patch, k) => { this.meshes[k].visible = !names.has(patch.name); });
  }

  light(name) {
    this.data.patches.forEach((patch, k) => { this.meshes[k].material.emissive.set(patch.name === name ? "#ffffff" : "#000000"); this.meshes[k].material.emissiveIntensity = LIT; });
  }

  /** Lays triangles (in their drawn order) over the shape in a colour; none takes them away. */
  lay(key, triangles, colour) {
    const old = this.over.get(key);
    if (old) { this.group.remove(old); old.geometry.dispose(); old.material.dispose(); this.over.delete(key); }
    if (!triangles || !triangles.length) return;
    const index = new Uint32Array(3 * triangles.length);
    triangles.forEach((t, k) => index.set(this.triangles.subarray(3 * t, 3 * t + 3), 3 * k));
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", this.position);
    geometry.setIndex(new BufferAttribute(index, 1));
    const made = new MeshLambertMaterial({ color: colour, side: DoubleSide, flatShading: true, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -1, clippingPlanes: this.planes ?? null });
    const mesh = new Mesh(geometry, made);
    mesh.frustumCulled = false;
    this.over.set(key, mesh);
    this.group.add(mesh);
  }

  /** Lays lines over the shape, each segment six numbers in m; they are seen through it. */
  draw(key, segments, colour) {
    const old = this.over.get(key);
    if (old) { this.group.remove(old); old.geometry.dispose(); old.material.dispose(); this.over.delete(key); }
    if (!segments.length) return;
    const places = new Float32Array(6 * segments.length);
    segments.forEach((s, k) => s.forEach((v, i) => { places[6 * k + i] = v - this.middle[i % 3]; }));
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(places, 3));
    const lines = new LineSegments(geometry, new LineBasicMaterial({ color: colour, depthTest: false, transparent: true }));
    lines.frustumCulled = false;
    lines.renderOrder = 5;
    this.over.set(key, lines);
    this.group.add(lines);
  }

  /** Where triangles of the surface, by their own number, stand in the drawn order. */
  drawnOrder(numbers) {
    if (!this.place) {
      this.place = new Uint32Array(this.count);
      this.number.forEach((n, k) => { this.place[n] = k; });
    }
    return numbers.map((n) => this.place[n]);
  }

  cut(planes) {
    this.planes = planes;
    for (const one of [...this.meshes, this.lines, this.edges, ...this.over.values()]) if (one) { one.material.clippingPlanes = planes; one.material.needsUpdate = true; }
  }

  dispose() {
    this.group.traverse((one) => { one.geometry?.dispose(); one.material?.dispose(); });
    this.group.removeFromParent();
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
    const { points: p, triangles: t } = this;
    const [ox, oy, oz] = origin, [dx, dy, dz] = way;
    let best = Infinity, found = -1;
    this.meshes.forEach((mesh, k) => {
      if (!mesh.visible) return;
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
        if (this.planes && this.planes.some((plane) => plane.normal.x * (ox + s * dx) + plane.normal.y * (oy + s * dy) + plane.normal.z * (oz + s * dz) + plane.constant < 0)) continue;
        best = s;
        found = n;
      }
    });
    if (found < 0) return null;
    return { triangle: found, patch: this.patchOf(found), distance: best, at: [ox + best * dx, oy + best * dy, oz + best * dz] };
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
