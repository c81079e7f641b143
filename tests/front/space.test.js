import assert from "node:assert/strict";
import test from "node:test";

import { within } from "../../src/brook/web/static/space/away.js";
import { Camera } from "../../src/brook/web/static/space/camera.js";
import { standIn } from "../../src/brook/web/static/space/coarse.js";
import { Vector3 } from "../../src/brook/web/static/vendor/three/three.module.min.js";

const seen = (camera, point) => { camera.place(); return point.clone().project(camera.three); };

test("a fitted box is seen whole from every side, and fills the picture", () => {
  for (const perspective of [true, false]) for (const from of ["x", "-x", "y", "-y", "z", "-z", "o"]) {
    const camera = new Camera(), half = new Vector3(0.36, 0.05, 0.09), middle = new Vector3(2, -1, 0.5);
    Object.assign(camera, { perspective, aspect: 1.4 });
    camera.look(from);
    camera.fit(middle, half);
    let most = 0;
    for (let k = 0; k < 8; k++) {
      const at = seen(camera, new Vector3(middle.x + (k & 1 ? 1 : -1) * half.x, middle.y + (k & 2 ? 1 : -1) * half.y, middle.z + (k & 4 ? 1 : -1) * half.z));
      assert.ok(Math.abs(at.x) <= 1 && Math.abs(at.y) <= 1, `${from}: ${at.toArray()}`);
      most = Math.max(most, Math.abs(at.x), Math.abs(at.y));
    }
    assert.ok(most > 0.6, `${from}: only ${most}`);
  }
});

test("coming nearer keeps the place under the pointer", () => {
  const camera = new Camera();
  Object.assign(camera, { perspective: false, aspect: 1.5 });
  camera.fit(new Vector3(), new Vector3(1, 1, 1));
  const { right, upward, span } = camera;
  const under = new Vector3().addScaledVector(right, 0.4 * 0.5 * 1.5 * span).addScaledVector(upward, -0.3 * 0.5 * span);
  camera.zoom(0.25, [0.4, -0.3]);
  const at = seen(camera, under);
  assert.ok(Math.abs(at.x - 0.4) < 1e-6 && Math.abs(at.y + 0.3) < 1e-6, at.toArray().join());
});

test("a camera comes back from its text, and nonsense leaves it as it was", () => {
  const camera = new Camera(), other = new Camera();
  camera.fit(new Vector3(0.1, 0.2, 0.3), new Vector3(1, 2, 3));
  camera.turn(0.3, -0.2);
  camera.perspective = false;
  other.text = camera.text;
  assert.equal(other.text, camera.text);
  for (const wrong of ["", "1,2", "a,b,c,d,e,f", "0,0,-1,0,0,0", "0,0,NaN,0,0,0"]) other.text = wrong;
  assert.equal(other.text, camera.text);
});

test("one cannot turn over the poles", () => {
  const camera = new Camera();
  camera.turn(0, 40);
  assert.equal(camera.pitch, Math.PI / 2);
});

/** A square of n × n fields with two patches, in the arrays of a shape. */
function square(n) {
  const points = new Float32Array(3 * (n + 1) ** 2), triangles = [];
  for (let j = 0, k = 0; j <= n; j++) for (let i = 0; i <= n; i++, k += 3) points.set([i / n - 0.5, j / n - 0.5, 0], k);
  for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) {
    const a = j * (n + 1) + i, b = a + 1, c = a + n + 1, d = c + 1;
    triangles.push(a, b, d, a, d, c);
  }
  const count = triangles.length / 3;
  return { points, triangles: new Uint32Array(triangles), starts: [0, count / 2, count], features: [], half: [0.5, 0.5, 0], count, over: new Map(), data: { patches: ["one", "two"] } };
}

test("a large shape gets a stand-in of the same size and patches with far fewer triangles; a small one is its own", () => {
  const small = square(10), large = square(400), coarse = standIn(large);
  assert.equal(standIn(small), small);
  assert.ok(coarse.triangles.length / 3 < large.count / 3);
  assert.equal(coarse.starts.length, 3);
  assert.ok(coarse.starts[1] > 0 && coarse.starts[2] > coarse.starts[1]);
  assert.ok(coarse.triangles.every((point) => point < coarse.points.length / 3));
  const xs = coarse.points.filter((_, k) => k % 3 === 0).sort();
  assert.ok(xs[0] < -0.49 && xs.at(-1) > 0.49);
  assert.equal(standIn(large), coarse);
});

test("what share of an area lies within how far is told by weights, not by counts", () => {
  const samples = { value: Float32Array.from([3, 0, 1, 2]), weight: Float32Array.from([1, 50, 48, 1]) };
  assert.equal(within(samples, 0.5), 0);
  assert.equal(within(samples, 0.98), 1);
  assert.equal(within(samples, 0.99), 2);
  assert.equal(within(samples, 1), 3);
});
