// Painting with a graphics processor: one mesh a patch over common points, lines, and what is laid over.

import { BufferAttribute, BufferGeometry, DataTexture, Group, LineSegments, Mesh, RGBAFormat, Scene, WebGLRenderer } from "../vendor/three/three.module.min.js";
import { colourMap, STEPS } from "../colours.js";
import { Coloured } from "./coloured.js";
import { cut, light, linePaint, strokePaint, surfacePaint, valuePaint } from "./paint.js";

/** Whether there is a graphics processor, and not something that only plays one. */
export function hasProcessor() {
  const gl = document.createElement("canvas").getContext("webgl2");
  if (!gl) return false;
  const told = gl.getExtension("WEBGL_debug_renderer_info");
  const name = told ? String(gl.getParameter(told.UNMASKED_RENDERER_WEBGL)) : "";
  gl.getExtension("WEBGL_lose_context")?.loseContext();
  return !/swiftshader|llvmpipe|software|basic render/i.test(name);
}

export class GpuPainter {
  constructor(canvas) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.renderer.setClearColor("#ffffff");
    this.scene = new Scene();
    this.over = new Map();
    this.layers = new Map();
    this.maps = new Map();
  }

  get finer() { return false; }

  resize(width, height, ratio) {
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(width, height, false);
    this.size = [width, height];
  }

  draw(shape, camera) {
    if (this.shape !== shape || this.version !== shape?.version) this.take(shape);
    if (shape) this.follow(shape);
    this.renderer.render(this.scene, camera.three);
  }

  take(shape) {
    this.dispose();
    this.shape = shape;
    this.version = shape?.version;
    if (!shape) return;
    this.group = new Group();
    this.position = new BufferAttribute(shape.points, 3);
    this.meshes = shape.data.patches.map((patch, k) => this.add(new Mesh(this.geometry(shape.triangles.subarray(3 * shape.starts[k], 3 * shape.starts[k + 1])), surfacePaint(patch.colour, { around: patch.around }))));
    this.lines = this.add(new LineSegments(this.geometry(shape.features), linePaint("#1e2a2e", { opacity: 0.55 })));
    this.scene.add(this.group);
  }

  geometry(index, position = this.position) {
    const made = new BufferGeometry();
    made.setAttribute("position", position);
    if (index) made.setIndex(new BufferAttribute(index, 1));
    return made;
  }

  add(one) {
    one.frustumCulled = false;
    this.group.add(one);
    return one;
  }

  /** Brings the scene to what the shape says. */
  follow(shape) {
    this.meshes.forEach((mesh, k) => { mesh.visible = shape.visible[k]; light(mesh.material, shape.lit === shape.data.patches[k].name); });
    if (shape.edgesShown && !this.edges) {
      const t = shape.triangles, ends = new Uint32Array(t.length * 2);
      for (let k = 0, n = 0; k < t.length; k += 3) for (let i = 0; i < 3; i++) { ends[n++] = t[k + i]; ends[n++] = t[k + ((i + 1) % 3)]; }
      this.edges = this.add(new LineSegments(this.geometry(ends), linePaint("#1e2a2e", { opacity: 0.28 })));
    }
    if (this.edges) this.edges.visible = shape.edgesShown;
    this.lines.material.uniforms.opacity.value = shape.edgesShown ? 0.9 : 0.55;
    for (const [key, { from, made }] of this.over) if (shape.over.get(key) !== from) { made.geometry.dispose(); made.material.dispose(); made.removeFromParent(); this.over.delete(key); }
    for (const [key, from] of shape.over) {
      if (this.over.has(key)) continue;
      const made = from.index
        ? new Mesh(this.geometry(from.index), surfacePaint(from.colour, { soft: 0, nearer: 1e-4 }))
        : new LineSegments(this.geometry(null, new BufferAttribute(from.places, 3)), linePaint(from.colour, { through: true }));
      made.renderOrder = from.index ? 0 : 5;
      this.over.set(key, { from, made: this.add(made) });
    }
    this.group.traverse((one) => { if (one.material?.uniforms.plane && one.renderOrder < 5) cut(one.material, one.whole ? null : shape.plane); });
    this.followLayers(shape);
  }

  map(name) {
    if (!this.maps.has(name)) this.maps.set(name, Object.assign(new DataTexture(colourMap(name), STEPS, 1, RGBAFormat), { needsUpdate: true }));
    return this.maps.get(name);
  }

  /** Brings what is coloured by values to what the shape says. */
  followLayers(shape) {
    for (const [key, { from, parts }] of this.layers) if (shape.layers.get(key) !== from) { for (const part of parts) this.drop(part); this.layers.delete(key); }
    for (const [key, from] of shape.layers) {
      if (!this.layers.has(key)) this.layers.set(key, { from, parts: this.partsOf(from) });
      for (const part of this.layers.get(key).parts) this.recolour(part, shape.colours);
    }
  }

  drop(part) { part.geometry.dispose(); part.material.dispose(); part.removeFromParent(); }

  partsOf(layer) {
    const parts = [], position = new BufferAttribute(layer.points, 3);
    if (layer.count) {
      const geometry = this.geometry(layer.triangles, position);
      parts.push(Object.assign(this.add(new Mesh(geometry, layer.values ? valuePaint(null, layer) : surfacePaint(layer.colour, { soft: 0, nearer: layer.nearer }))), { of: layer.values ? layer : null, whole: !layer.clipped }));
    }
    if (layer.edges) parts.push(Object.assign(this.add(new LineSegments(this.geometry(layer.edges, position), linePaint("#1e2a2e", { opacity: 0.4, nearer: 3e-4 }))), { whole: !layer.clipped }));
    for (const stroke of layer.strokes) parts.push(Object.assign(this.add(new Mesh(this.strokeGeometry(stroke), strokePaint(null, stroke.values ? "" : stroke.colour, stroke.width))), { of: stroke.values ? stroke : null, stroke: true, renderOrder: 2 }));
    return parts;
  }

  strokeGeometry({ points }) {
    const count = points.length / 6, position = new Float32Array(12 * count), other = new Float32Array(12 * count), side = new Float32Array(4 * count), index = new Uint32Array(6 * count);
    for (let n = 0; n < count; n++) {
      for (let k = 0; k < 4; k++) {
        const here = k < 2 ? 0 : 3;
        position.set(points.subarray(6 * n + here, 6 * n + here + 3), 12 * n + 3 * k);
        other.set(points.subarray(6 * n + 3 - here, 6 * n + 6 - here), 12 * n + 3 * k);
        side[4 * n + k] = (k % 2 ? 1 : -1) * (k < 2 ? 1 : -1);
      }
      index.set([0, 1, 2, 1, 3, 2].map((k) => 4 * n + k), 6 * n);
    }
    const made = this.geometry(index, new BufferAttribute(position, 3));
    made.setAttribute("other", new BufferAttribute(other, 3));
    made.setAttribute("side", new BufferAttribute(side, 1));
    made.setAttribute("share", new BufferAttribute(new Float32Array(4 * count), 1));
    return made;
  }

  recolour(part, colours) {
    const { uniforms } = part.material;
    if (part.stroke) uniforms.size.value.set(...this.size);
    if (!part.of || !colours || part.colouredBy === colours.version) return;
    part.colouredBy = colours.version;
    uniforms.map.value = this.map(colours.map);
    if (uniforms.bands) uniforms.bands.value = colours.bands ?? 0;
    const shares = Coloured.shares(part.of, colours);
    if (part.stroke) {
      const all = part.geometry.attributes.share;
      for (let n = 0; n < shares.length; n++) all.array[2 * n] = all.array[2 * n + 1] = shares[n];
      all.needsUpdate = true;
    } else part.geometry.setAttribute("share", new BufferAttribute(shares.slice(), 1));
  }

  /** Gives the graphics processor back; browsers have few of its contexts. */
  close() {
    this.dispose();
    for (const map of this.maps.values()) map.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }

  dispose() {
    this.group?.traverse((one) => { one.geometry?.dispose(); one.material?.dispose(); });
    this.group?.removeFromParent();
    this.edges = null;
    this.over.clear();
    this.layers.clear();
  }
}
