// Layers of a picture in space, painted without a graphics processor: triangles coloured by values, and strokes.

import { colourMap, STEPS } from "../colours.js";
import { layerStandIn } from "./coarse.js";
import { Coloured } from "./coloured.js";
import { normalsOf, rgbOf, SHADE } from "./paint.js";

const LIGHTS = 24; // steps of light on what shows its form
const BIAS = 3e-4;
const tables = new Map();

/** Colours as they are put into memory: for each step of light, 256 along the map. */
function tableOf(map, bands, lit) {
  const key = `${map} ${bands} ${lit}`;
  if (!tables.has(key)) {
    const bytes = colourMap(map), rows = lit ? LIGHTS : 1, table = new Uint32Array(rows * STEPS);
    for (let row = 0; row < rows; row++) {
      const light = lit ? SHADE.base + (SHADE.front * row) / (LIGHTS - 1) : 1;
      for (let k = 0; k < STEPS; k++) {
        const at = 4 * (bands ? Math.round((255 * (Math.min(bands - 1, Math.floor((k / (STEPS - 1)) * bands)) + 0.5)) / bands) : k);
        table[row * STEPS + k] = (0xff000000 | (light * bytes[at + 2]) << 16 | (light * bytes[at + 1]) << 8 | (light * bytes[at])) >>> 0;
      }
    }
    tables.set(key, table);
  }
  return tables.get(key);
}

export function paintLayers(painter, shape, camera) {
  for (const full of shape.layers.values()) {
    const layer = painter.resting ? full : layerStandIn(full, shape.half);
    if (layer.count) surface(painter, layer, shape, camera);
    if (layer.edges && painter.resting) painter.edges(layer.edges, 2, 0.4);
    for (const stroke of layer.strokes) strokeOf(painter, stroke, shape, camera);
  }
}

function surface(painter, layer, shape, camera) {
  const { points, triangles, nearer } = layer, count = points.length / 3;
  if (painter.seen.length < 4 * count) painter.seen = new Float32Array(4 * count);
  painter.project(points, count, painter.seen, layer.clipped ? shape.plane : null, camera);
  if (layer.lit) layer.normals ??= normalsOf(layer);
  if (!layer.values) {
    layer.normals ??= normalsOf(layer);
    const colour = rgbOf(layer.colour, 0);
    painter.triangles({ points }, triangles, layer.normals, 0, layer.count, colour, colour, layer.nearer);
    return;
  }
  const shares = Coloured.shares(layer, shape.colours), table = tableOf(shape.colours.map, shape.colours.bands ?? 0, layer.lit);
  const { seen, width, height } = painter, [awayX, awayY, awayZ] = painter.away;
  for (let n = 0; n < layer.count; n++) {
    const ia = triangles[3 * n], ib = triangles[3 * n + 1], ic = triangles[3 * n + 2], a = 4 * ia, b = 4 * ib, c = 4 * ic;
    const ax = seen[a], ay = seen[a + 1], bx = seen[b], by = seen[b + 1], cx = seen[c], cy = seen[c + 1];
    const left = ax < bx ? (ax < cx ? ax : cx) : bx < cx ? bx : cx, right = ax > bx ? (ax > cx ? ax : cx) : bx > cx ? bx : cx;
    const top = ay < by ? (ay < cy ? ay : cy) : by < cy ? by : cy, bottom = ay > by ? (ay > cy ? ay : cy) : by > cy ? by : cy;
    if (right < 0 || bottom < 0 || left > width || top > height || Math.ceil(left - 0.5) > right - 0.5 || Math.ceil(top - 0.5) > bottom - 0.5) continue;
    const az = seen[a + 2] - nearer, bz = seen[b + 2] - nearer, cz = seen[c + 2] - nearer;
    if (az > 1 || bz > 1 || cz > 1) continue;
    const sa = shares[ia], sb = shares[ib], sc = shares[ic];
    if (!(sa >= 0 && sb >= 0 && sc >= 0)) continue; // no value there
    const row = layer.lit ? STEPS * Math.round((LIGHTS - 1) * Math.min(1, Math.abs(layer.normals[3 * n] * awayX + layer.normals[3 * n + 1] * awayY + layer.normals[3 * n + 2] * awayZ))) : 0;
    const oa = seen[a + 3], ob = seen[b + 3], oc = seen[c + 3];
    if (oa >= 0 && ob >= 0 && oc >= 0) fill(painter, ax, ay, az, sa, bx, by, bz, sb, cx, cy, cz, sc, table, row);
    else if (oa >= 0 || ob >= 0 || oc >= 0) clipped(painter, [[ax, ay, az, sa, oa], [bx, by, bz, sb, ob], [cx, cy, cz, sc, oc]], table, row);
  }
}

function clipped(painter, corners, table, row) {
  const kept = [];
  for (let i = 0; i < 3; i++) {
    const one = corners[i], other = corners[(i + 1) % 3];
    if (one[4] >= 0) kept.push(one);
    if (one[4] >= 0 !== other[4] >= 0) { const t = one[4] / (one[4] - other[4]); kept.push([0, 1, 2, 3].map((k) => one[k] + t * (other[k] - one[k]))); }
  }
  for (let i = 2; i < kept.length; i++) fill(painter, ...kept[0].slice(0, 4), ...kept[i - 1].slice(0, 4), ...kept[i].slice(0, 4), table, row);
}

/** A triangle row by row, depth and share of the map linear over the picture. */
function fill(painter, ax, ay, az, as, bx, by, bz, bs, cx, cy, cz, cs, table, from) {
  const { pixels, depth, width, height } = painter;
  let t;
  if (by < ay) { t = ax; ax = bx; bx = t; t = ay; ay = by; by = t; t = az; az = bz; bz = t; t = as; as = bs; bs = t; }
  if (cy < ay) { t = ax; ax = cx; cx = t; t = ay; ay = cy; cy = t; t = az; az = cz; cz = t; t = as; as = cs; cs = t; }
  if (cy < by) { t = bx; bx = cx; cx = t; t = by; by = cy; cy = t; t = bz; bz = cz; cz = t; t = bs; bs = cs; cs = t; }
  const first = Math.max(0, Math.ceil(ay - 0.5)), last = Math.min(height - 1, Math.ceil(cy - 0.5) - 1);
  const area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
  if (first > last || area === 0) return;
  const zx = ((bz - az) * (cy - ay) - (cz - az) * (by - ay)) / area, zy = ((cz - az) * (bx - ax) - (bz - az) * (cx - ax)) / area;
  const sx = ((bs - as) * (cy - ay) - (cs - as) * (by - ay)) / area, sy = ((cs - as) * (bx - ax) - (bs - as) * (cx - ax)) / area;
  const long = (cx - ax) / (cy - ay), upper = by > ay ? (bx - ax) / (by - ay) : 0, lower = cy > by ? (cx - bx) / (cy - by) : 0, top = STEPS - 1;
  for (let row = first; row <= last; row++) {
    const y = row + 0.5, one = ax + (y - ay) * long, other = y < by ? ax + (y - ay) * upper : bx + (y - by) * lower;
    let left = Math.ceil((one < other ? one : other) - 0.5), right = Math.ceil((one < other ? other : one) - 0.5) - 1;
    if (left < 0) left = 0;
    if (right >= width) right = width - 1;
    let z = az + (left + 0.5 - ax) * zx + (y - ay) * zy, s = top * (as + (left + 0.5 - ax) * sx + (y - ay) * sy) + 0.5;
    for (let at = row * width + left, end = row * width + right; at <= end; at++) {
      if (z < depth[at] && z >= -1) { depth[at] = z; pixels[at] = table[from + (s < 0 ? 0 : s > top ? top : s | 0)]; }
      z += zx;
      s += top * sx;
    }
  }
}

function strokeOf(painter, stroke, shape, camera) {
  const { points } = stroke, count = points.length / 3;
  if (!painter.strokes || painter.strokes.length < 4 * count) painter.strokes = new Float32Array(4 * count);
  const seen = painter.strokes, wide = Math.max(1, Math.round(stroke.width * painter.ratio * (painter.resting ? 2 : 1)));
  painter.project(points, count, seen, null, camera);
  const shares = stroke.values ? Coloured.shares(stroke, shape.colours) : null, bytes = shares ? colourMap(shape.colours.map) : null, plain = shares ? null : rgbOf(stroke.colour, 0);
  for (let k = 0, n = 0; k < 4 * count; k += 8, n += 2) {
    if (seen[k + 2] > 1 || seen[k + 6] > 1) continue;
    const at = shares ? 4 * Math.round(255 * (shares[n] || 0)) : 0, colour = plain ?? [bytes[at], bytes[at + 1], bytes[at + 2]];
    const flat = Math.abs(seen[k + 4] - seen[k]) > Math.abs(seen[k + 5] - seen[k + 1]);
    for (let w = 0; w < wide; w++) {
      const shift = w - (wide - 1) / 2, x = flat ? 0 : shift, y = flat ? shift : 0;
      painter.line(seen[k] + x, seen[k + 1] + y, seen[k + 2] - BIAS, seen[k + 4] + x, seen[k + 5] + y, seen[k + 6] - BIAS, colour, 1, true);
    }
  }
}
