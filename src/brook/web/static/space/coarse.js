// A stand-in with far fewer triangles that is painted while the view moves: points that lie in one small box become one.

const MOST = 60000; // triangles that are painted fast enough as they are
const WANTED = 40000;

/** The stand-in of a shape, or the shape itself where it is small enough; made once. */
export function standIn(shape) {
  if (shape.count <= MOST) return shape;
  if (!shape.coarse) shape.coarse = made(shape);
  const { visible, lit, data, plane, over, edgesShown, layers, colours, half } = shape;
  return Object.assign(shape.coarse, { visible, lit, data, plane, edgesShown, layers, colours, half, over: laid(over, shape.coarse) });
}

/** The stand-in of a layer of a shape, with the means of its values, or the layer itself where it is small enough; made once. */
export function layerStandIn(layer, half) {
  if (layer.count <= MOST) return layer;
  if (!layer.coarse) {
    const found = made({ points: layer.points, triangles: layer.triangles, starts: [0, layer.count], features: [], half });
    const { strokes, lit, colour, clipped, nearer } = layer;
    layer.coarse = { points: found.points, triangles: found.triangles, count: found.triangles.length / 3, values: layer.values && means(layer.values, found), edges: null, strokes, lit, colour, clipped, nearer };
  }
  return layer.coarse;
}

function means(values, { cluster, points }) {
  const sums = new Float32Array(points.length / 3), counts = new Uint32Array(sums.length);
  for (let p = 0; p < cluster.length; p++) { sums[cluster[p]] += values[p]; counts[cluster[p]]++; }
  return sums.map((sum, c) => sum / counts[c]);
}

function made(shape) {
  let share = 1 / 160;
  for (let turn = 0; ; turn++) {
    const found = clustered(shape, share * 2 * Math.max(...shape.half, 1e-30));
    const count = found.triangles.length / 3;
    if (turn === 2 || (count < 1.5 * WANTED && count > 0.6 * WANTED)) return found;
    share *= Math.sqrt(count / WANTED);
    share = Math.max(share, 1 / 400);
  }
}

function clustered({ points, triangles, starts, features, half }, side) {
  const shape = half.map((h) => Math.floor((2 * h) / side) + 1);
  const first = new Int32Array(shape[0] * shape[1] * shape[2]).fill(-1), cluster = new Uint32Array(points.length / 3);
  const sums = new Float32Array(points.length), counts = new Uint32Array(cluster.length);
  let made = 0;
  for (let p = 0, i = 0; p < cluster.length; p++, i += 3) {
    const x = Math.min(shape[0] - 1, ((points[i] + half[0]) / side) | 0), y = Math.min(shape[1] - 1, ((points[i + 1] + half[1]) / side) | 0), z = Math.min(shape[2] - 1, ((points[i + 2] + half[2]) / side) | 0);
    const box = (z * shape[1] + y) * shape[0] + x;
    if (first[box] < 0) first[box] = made++;
    const c = (cluster[p] = first[box]);
    sums[3 * c] += points[i];
    sums[3 * c + 1] += points[i + 1];
    sums[3 * c + 2] += points[i + 2];
    counts[c]++;
  }
  const places = sums.slice(0, 3 * made);
  for (let c = 0; c < made; c++) for (let k = 0; k < 3; k++) places[3 * c + k] /= counts[c];
  const kept = new Uint32Array(triangles.length), ends = [0];
  let used = 0;
  for (let patch = 0; patch + 1 < starts.length; patch++) {
    for (let n = 3 * starts[patch]; n < 3 * starts[patch + 1]; n += 3) used = put(kept, used, cluster[triangles[n]], cluster[triangles[n + 1]], cluster[triangles[n + 2]]);
    ends.push(used / 3);
  }
  const lines = [];
  for (let k = 0; k < features.length; k += 2) if (cluster[features[k]] !== cluster[features[k + 1]]) lines.push(cluster[features[k]], cluster[features[k + 1]]);
  return { points: places, triangles: kept.slice(0, used), starts: ends, features: lines, cluster };
}

function put(into, at, a, b, c) {
  if (a === b || b === c || c === a) return at;
  into[at] = a;
  into[at + 1] = b;
  into[at + 2] = c;
  return at + 3;
}

/** What lies over the shape, over its stand-in; kept for as long as it lies there. */
function laid(over, coarse) {
  const found = new Map();
  for (const [key, one] of over) {
    if (one.index && !one.coarse) {
      const kept = new Uint32Array(one.index.length);
      let used = 0;
      for (let n = 0; n < kept.length; n += 3) used = put(kept, used, ...[0, 1, 2].map((i) => coarse.cluster[one.index[n + i]]));
      one.coarse = { index: kept.slice(0, used), colour: one.colour };
    }
    found.set(key, one.coarse ?? one);
  }
  return found;
}
