// Where a canvas in space looks from: turned about z and up or down, about a target; `span` m are shown from top to bottom.

import { OrthographicCamera, PerspectiveCamera, Vector3 } from "../vendor/three/three.module.min.js";

const FIELD = (28 * Math.PI) / 180; // of view, from top to bottom
const LOOKS = { x: [0, 0], "-x": [Math.PI, 0], y: [Math.PI / 2, 0], "-y": [-Math.PI / 2, 0], z: [-Math.PI / 2, Math.PI / 2], "-z": [-Math.PI / 2, -Math.PI / 2], o: [-0.9, 0.5] };

export class Camera {
  constructor() {
    this.near = new PerspectiveCamera((FIELD * 180) / Math.PI, 1, 0.01, 100);
    this.flat = new OrthographicCamera(-1, 1, 1, -1, -100, 100);
    for (const one of [this.near, this.flat]) one.up.set(0, 0, 1);
    Object.assign(this, { yaw: LOOKS.o[0], pitch: LOOKS.o[1], span: 1, target: new Vector3(), perspective: true, aspect: 1, size: 1 });
  }

  get three() { return this.perspective ? this.near : this.flat; }

  /** The direction from the target to the eye. */
  get away() {
    return new Vector3(Math.cos(this.pitch) * Math.cos(this.yaw), Math.cos(this.pitch) * Math.sin(this.yaw), Math.sin(this.pitch));
  }

  get right() { return new Vector3(-Math.sin(this.yaw), Math.cos(this.yaw), 0); }

  get upward() { return new Vector3().crossVectors(this.away, this.right); }

  /** Looks along an axis, or obliquely for `o`. */
  look(from) { [this.yaw, this.pitch] = LOOKS[from]; }

  /** Shows a box of half sides `half` round a middle, all of it. */
  fit(middle, half) {
    this.target.copy(middle);
    this.size = Math.max(half.length(), 1e-9);
    const { right, upward, away } = this, corner = new Vector3();
    this.span = 0;
    for (let k = 0; k < 8; k++) { // as far as each corner of the box needs, the nearer ones more
      corner.set(k & 1 ? half.x : -half.x, k & 2 ? half.y : -half.y, k & 4 ? half.z : -half.z);
      const needs = Math.max(2 * Math.abs(corner.dot(upward)), (2 * Math.abs(corner.dot(right))) / this.aspect);
      this.span = Math.max(this.span, 1.1 * needs + (this.perspective ? 2 * Math.tan(FIELD / 2) * Math.max(0, corner.dot(away)) : 0));
    }
    this.span = Math.max(this.span, 1e-6 * this.size, 1e-9);
  }

  turn(dx, dy) {
    this.yaw -= dx;
    this.pitch = Math.min(Math.PI / 2, Math.max(-Math.PI / 2, this.pitch + dy));
  }

  /** Moves by shares of the height shown. */
  pan(dx, dy) {
    this.target.addScaledVector(this.right, -dx * this.span).addScaledVector(this.upward, dy * this.span);
  }

  /** Comes nearer by a factor, so that what is at a place of the picture (from -1 to 1) stays there. */
  zoom(factor, at = [0, 0]) {
    const [x, y] = [at[0] * this.aspect * 0.5, at[1] * 0.5];
    const before = this.span;
    this.span = Math.min(1e3 * this.size, Math.max(1e-5 * this.size, this.span * factor));
    const change = before - this.span;
    this.target.addScaledVector(this.right, x * change).addScaledVector(this.upward, y * change);
  }

  /** Brings the camera of the scene up to date. */
  place() {
    const distance = this.span / (2 * Math.tan(FIELD / 2)), depth = 1.02 * this.size + this.target.length(); // all of the shape lies within
    // no nearer than needed: depths are told apart the better the further away the near plane is
    const up = Math.abs(Math.abs(this.pitch) - Math.PI / 2) < 1e-6 ? this.upward : new Vector3(0, 0, 1);
    for (const camera of [this.near, this.flat]) {
      camera.up.copy(up);
      camera.position.copy(this.target).addScaledVector(this.away, distance);
      camera.lookAt(this.target);
    }
    this.near.aspect = this.aspect;
    this.near.near = Math.max(distance / 200, distance - depth);
    this.near.far = distance + depth;
    Object.assign(this.flat, { left: (-this.span * this.aspect) / 2, right: (this.span * this.aspect) / 2, top: this.span / 2, bottom: -this.span / 2, near: distance - depth, far: distance + depth });
    this.near.updateProjectionMatrix();
    this.flat.updateProjectionMatrix();
    this.three.updateMatrixWorld();
  }

  /** As text for the address, and back. */
  get text() {
    const short = (v) => Number(v.toPrecision(5));
    return [this.yaw, this.pitch, this.span, ...this.target.toArray()].map(short).join(",") + (this.perspective ? "" : ",flat");
  }

  set text(text) {
    const parts = text.split(","), numbers = parts.slice(0, 6).map(Number);
    if (numbers.length < 6 || numbers.some((v) => !Number.isFinite(v)) || numbers[2] <= 0) return;
    [this.yaw, this.pitch, this.span] = numbers;
    this.target.set(...numbers.slice(3));
    this.perspective = parts[6] !== "flat";
  }
}
