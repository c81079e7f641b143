// Painting without a graphics processor: triangles row by row into memory, nearest first by a depth for each pixel.
// What plays a graphics processor on such machines takes several times as long, most of it to hand the picture over.

import { Matrix4 } from "../vendor/three/three.module.min.js";
import { standIn } from "./coarse.js";
import { INSIDE, LIGHT, normalsOf, rgbOf } from "./paint.js";
import { paintLayers } from "./softlayers.js";

const BIAS = 2e-4;

export class SoftPainter {
  constructor(canvas) {
    this.canvas = canvas;
    this.pen = canvas.getContext("2d", { alpha: false, desynchronized: true, willReadFrequently: false });
    this.matrix = new Matrix4();
  }

  /** Whether more pixels are painted while the view rests. */
  get finer() { return true; }

  resize(width, height, ratio) { Object.assign(this, { cssWidth: width, cssHeight: height, ratio }); }

  dispose() {}

  close() {}

  draw(shape, camera, resting) {
    const scale = this.ratio * (resting ? 2 : 1);
    const width = Math.max(1, Math.round(this.cssWidth * scale)), height = Math.max(1, Math.round(this.cssHeight * scale));
    if (this.width !== width || this.height !== height) {
      Object.assign(this, { width, height });
      this.canvas.width = width;
      this.canvas.height = height;
      this.image = new ImageData(width, height);
      this.pixels = new Uint32Array(this.image.data.buffer);
      this.depth = new Float32Array(width * height);
    }
    this.pixels.fill(0xffffffff);
    this.depth.fill(2);
    this.resting = resting;
    if (shape) this.paint(resting ? shape : standIn(shape), camera);
    this.pen.putImageData(this.image, 0, 0);
  }

  paint(shape, camera) {
    const { points } = shape, count = points.length / 3;
    if (!this.seen || this.seen.length < 4 * count) this.seen = new Float32Array(4 * count);
    this.project(points, count, this.seen, shape.plane, camera);
    shape.normals ??= normalsOf(shape);
    const { away, right, upward } = camera;
    const lamp = LIGHT.way[0] * right.x + 0, up = LIGHT.way[1];
    this.lamp = [lamp + up * upward.x + LIGHT.way[2] * away.x, LIGHT.way[0] * right.y + up * upward.y + LIGHT.way[2] * away.y, LIGHT.way[0] * right.z + up * upward.z + LIGHT.way[2] * away.z];
    this.away = [away.x, away.y, away.z];
    // of a closed shape that is shown whole nothing can be seen from behind
    this.whole = shape.data.closed && !shape.plane && shape.visible.every(Boolean);
    this.eye = camera.perspective ? camera.three.position.toArray() : null;
    shape.data.patches.forEach((patch, k) => {
      if (!shape.visible[k]) return;
      const colour = rgbOf(patch.colour, shape.lit === patch.name ? 0.52 : 0.2);
      this.triangles(shape, shape.triangles, shape.normals, shape.starts[k], shape.starts[k + 1], colour, INSIDE, 0, patch.around);
    });
    for (const one of shape.over.values()) {
      if (one.index) this.triangles(shape, one.index, (one.normals ??= normalsOf({ points, triangles: one.index })), 0, one.index.length / 3, rgbOf(one.colour, 0), rgbOf(one.colour, 0), BIAS / 2);
    }
    if (shape.layers.size) paintLayers(this, shape, camera);
    if (shape.layers.size) this.project(points, count, this.seen, shape.plane, camera);
    if (shape.edgesShown) this.edges(shape.triangles, 3, 0.28);
    this.edges(shape.features, 2, shape.edgesShown ? 0.9 : 0.55);
    for (const one of shape.over.values()) if (one.places) this.through(one.places, rgbOf(one.colour, 0), camera);
  }

  /** To pixels and a depth: (x, y, depth, how far over the cut); what is behind the eye gets a depth over 1. */
  project(points, count, seen, plane, camera) {
    const m = this.matrix.multiplyMatrices(camera.three.projectionMatrix, camera.three.matrixWorldInverse).elements;
    const halfWidth = this.width / 2, halfHeight = this.height / 2;
    for (let k = 0, i = 0, o = 0; k < count; k++, i += 3, o += 4) {
      const x = points[i], y = points[i + 1], z = points[i + 2];
      const w = m[3] * x + m[7] * y + m[11] * z + m[15], by = w > 1e-9 ? 1 / w : 0;
      seen[o] = (1 + (m[0] * x + m[4] * y + m[8] * z + m[12]) * by) * halfWidth;
      seen[o + 1] = (1 - (m[1] * x + m[5] * y + m[9] * z + m[13]) * by) * halfHeight;
      seen[o + 2] = by ? (m[2] * x + m[6] * y + m[10] * z + m[14]) * by : 9;
      seen[o + 3] = plane ? plane[0] * x + plane[1] * y + plane[2] * z + plane[3] : 1;
    }
  }

  triangles(shape, index, normals, from, to, outside, inside, nearer, around = false) {
    const { seen, width, height, whole } = this, points = shape.points;
    const [lampX, lampY, lampZ] = this.lamp, [awayX, awayY, awayZ] = this.away, eye = this.eye !== null, [eyeX, eyeY, eyeZ] = this.eye ?? [0, 0, 0];
    for (let n = from; n < to; n++) {
      let nx = normals[3 * n], ny = normals[3 * n + 1], nz = normals[3 * n + 2];
      const ia = index[3 * n];
      const facing = eye ? nx * (eyeX - points[3 * ia]) + ny * (eyeY - points[3 * ia + 1]) + nz * (eyeZ - points[3 * ia + 2]) : nx * awayX + ny * awayY + nz * awayZ;
      if (around ? facing >= 0 : whole && facing < 0) continue;
      const a = 4 * ia, b = 4 * index[3 * n + 1], c = 4 * index[3 * n + 2];
      const ax = seen[a], ay = seen[a + 1], bx = seen[b], by = seen[b + 1], cx = seen[c], cy = seen[c + 1];
      const left = ax < bx ? (ax < cx ? ax : cx) : bx < cx ? bx : cx, right = ax > bx ? (ax > cx ? ax : cx) : bx > cx ? bx : cx;
      const top = ay < by ? (ay < cy ? ay : cy) : by < cy ? by : cy, bottom = ay > by ? (ay > cy ? ay : cy) : by > cy ? by : cy;
      // outside of the picture, or between the middles of its pixels
      if (right < 0 || bottom < 0 || left > width || top > height || Math.ceil(left - 0.5) > right - 0.5 || Math.ceil(top - 0.5) > bottom - 0.5) continue;
      const az = seen[a + 2], bz = seen[b + 2], cz = seen[c + 2];
      if (az > 1 || bz > 1 || cz > 1) continue;
      const oa = seen[a + 3], ob = seen[b + 3], oc = seen[c + 3];
      if (oa < 0 && ob < 0 && oc < 0) continue;
      const colour = facing >= 0 ? outside : inside;
      if (facing < 0) { nx = -nx; ny = -ny; nz = -nz; }
      const lit = nx * lampX + ny * lampY + nz * lampZ;
      const light = LIGHT.base + LIGHT.front * (nx * awayX + ny * awayY + nz * awayZ) + (lit > 0 ? LIGHT.side * lit : 0);
      const red = colour[0] * light, green = colour[1] * light, blue = colour[2] * light;
      const shade = (0xff000000 | (blue > 255 ? 255 : blue) << 16 | (green > 255 ? 255 : green) << 8 | (red > 255 ? 255 : red)) >>> 0;
      if (oa >= 0 && ob >= 0 && oc >= 0) this.fill(ax, ay, az - nearer, bx, by, bz - nearer, cx, cy, cz - nearer, shade);
      else this.clipped([[ax, ay, az - nearer, oa], [bx, by, bz - nearer, ob], [cx, cy, cz - nearer, oc]], shade);
    }
  }

  /** The part of a triangle that the cut leaves; along its edges pixels are taken as even, which on one triangle is near enough. */
  clipped(corners, shade) {
    const kept = [];
    for (let i = 0; i < 3; i++) {
      const one = corners[i], other = corners[(i + 1) % 3];
      if (one[3] >= 0) kept.push(one);
      if (one[3] >= 0 !== other[3] >= 0) { const t = one[3] / (one[3] - other[3]); kept.push([0, 1, 2].map((k) => one[k] + t * (other[k] - one[k]))); }
    }
    for (let i = 2; i < kept.length; i++) this.fill(...kept[0].slice(0, 3), ...kept[i - 1].slice(0, 3), ...kept[i].slice(0, 3), shade);
  }

  fill(ax, ay, az, bx, by, bz, cx, cy, cz, shade) {
    const { pixels, depth, width, height } = this;
    let t;
    if (by < ay) { t = ax; ax = bx; bx = t; t = ay; ay = by; by = t; t = az; az = bz; bz = t; }
    if (cy < ay) { t = ax; ax = cx; cx = t; t = ay; ay = cy; cy = t; t = az; az = cz; cz = t; }
    if (cy < by) { t = bx; bx = cx; cx = t; t = by; by = cy; cy = t; t = bz; bz = cz; cz = t; }
    const first = Math.max(0, Math.ceil(ay - 0.5)), last = Math.min(height - 1, Math.ceil(cy - 0.5) - 1);
    if (first > last) return;
    const area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
    if (area === 0) return;
    const slopeX = ((bz - az) * (cy - ay) - (cz - az) * (by - ay)) / area, slopeY = ((cz - az) * (bx - ax) - (bz - az) * (cx - ax)) / area;
    const long = (cx - ax) / (cy - ay), upper = by > ay ? (bx - ax) / (by - ay) : 0, lower = cy > by ? (cx - bx) / (cy - by) : 0;
    for (let row = first; row <= last; row++) {
      const y = row + 0.5, one = ax + (y - ay) * long, other = y < by ? ax + (y - ay) * upper : bx + (y - by) * lower;
      let left = one < other ? one : other, right = one < other ? other : one;
      left = Math.ceil(left - 0.5);
      right = Math.ceil(right - 0.5) - 1;
      if (left < 0) left = 0;
      if (right >= width) right = width - 1;
      let z = az + (left + 0.5 - ax) * slopeX + (y - ay) * slopeY;
      for (let at = row * width + left, end = row * width + right; at <= end; at++) {
        if (z < depth[at] && z >= -1) { depth[at] = z; pixels[at] = shade; }
        z += slopeX;
      }
    }
  }

  /** Lines between points by their numbers; of triangles each edge in turn. */
  edges(index, around, opacity) {
    const { seen } = this;
    for (let n = 0; n < index.length; n += around) {
      for (let i = 0; i < (around === 3 ? 3 : 1); i++) {
        const a = 4 * index[n + i], b = 4 * index[n + (i + 1) % around];
        if (seen[a + 3] < 0 || seen[b + 3] < 0 || seen[a + 2] > 1 || seen[b + 2] > 1) continue;
        this.line(seen[a], seen[a + 1], seen[a + 2] - BIAS, seen[b], seen[b + 1], seen[b + 2] - BIAS, [30, 42, 46], opacity, true);
      }
    }
  }

  through(places, colour, camera) {
    const count = places.length / 3, seen = new Float32Array(4 * count);
    this.project(places, count, seen, null, camera);
    for (let k = 0; k < 4 * count; k += 8) if (seen[k + 2] <= 1 && seen[k + 6] <= 1) for (const shift of [0, 1]) this.line(seen[k] + shift, seen[k + 1], 0, seen[k + 4] + shift, seen[k + 5], 0, colour, 1, false);
  }

  line(x0, y0, z0, x1, y1, z1, colour, opacity, hidden) {
    const { pixels, depth, width, height } = this;
    if ((x0 < 0 && x1 < 0) || (y0 < 0 && y1 < 0) || (x0 >= width && x1 >= width) || (y0 >= height && y1 >= height)) return;
    const steps = Math.max(1, Math.ceil(Math.max(Math.abs(x1 - x0), Math.abs(y1 - y0))));
    if (steps > 20000) return;
    const dx = (x1 - x0) / steps, dy = (y1 - y0) / steps, dz = (z1 - z0) / steps, rest = 1 - opacity;
    for (let n = 0, x = x0, y = y0, z = z0; n <= steps; n++, x += dx, y += dy, z += dz) {
      const column = x | 0, row = y | 0;
      if (x < 0 || y < 0 || column >= width || row >= height) continue;
      const at = row * width + column;
      if (hidden && z > depth[at]) continue;
      const old = pixels[at];
      pixels[at] = (0xff000000 | (opacity * colour[2] + rest * (old >> 16 & 255)) << 16 | (opacity * colour[1] + rest * (old >> 8 & 255)) << 8 | (opacity * colour[0] + rest * (old & 255))) >>> 0;
    }
  }
}
