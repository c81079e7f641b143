// Painting with a graphics processor: one mesh a patch over common points, lines, and what is laid over.

import { BufferAttribute, BufferGeometry, Group, LineSegments, Mesh, Scene, WebGLRenderer } from "../vendor/three/three.module.min.js";
import { cut, light, linePaint, surfacePaint } from "./paint.js";

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
  }

  get finer() { return false; }

  resize(width, height, ratio) {
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(width, height, false);
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
    this.group.traverse((one) => { if (one.material && one.renderOrder < 5) cut(one.material, shape.plane); });
  }

  dispose() {
    this.group?.traverse((one) => { one.geometry?.dispose(); one.material?.dispose(); });
    this.group?.removeFromParent();
    this.edges = null;
    this.over.clear();
  }
}
