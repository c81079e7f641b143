// Draws coloured polygons with WebGL into any number of plain canvases: one hidden context serves all of them.

import { STEPS, colourMap } from "./colours.js";

const VERTEX = `#version 300 es
in vec2 place; in float value; uniform vec4 view; out float v;
void main() { v = value; gl_Position = vec4((place - view.xy) * view.zw, 0.0, 1.0); }`;
const FRAGMENT = `#version 300 es
precision highp float;
in float v; uniform vec2 range; uniform sampler2D map; uniform float flat_colour; out vec4 colour;
void main() {
  if (flat_colour > 0.5) { colour = vec4(0.86, 0.92, 0.92, 1.0); return; }
  if (!(v == v) || abs(v) > 1e30) { colour = mod(gl_FragCoord.x - gl_FragCoord.y, 7.0) < 1.5 ? vec4(0.72, 0.72, 0.70, 1.0) : vec4(0.93, 0.92, 0.89, 1.0); return; }
  float share = clamp((v - range.x) / max(range.y - range.x, 1e-30), 0.0, 1.0);
  colour = texture(map, vec2((share * float(${STEPS - 1}) + 0.5) / float(${STEPS}), 0.5));
  float slack = 1e-4 * (range.y - range.x);
  bool out_of_range = v < range.x - slack || v > range.y + slack;
  if (out_of_range && mod(gl_FragCoord.x + gl_FragCoord.y, 8.0) < 2.0) colour = vec4(mix(colour.rgb, vec3(1.0), 0.55), 1.0);
}`;
const LINE_FRAGMENT = `#version 300 es
precision highp float; in float v; out vec4 colour; uniform float strength;
void main() { colour = vec4(0.12, 0.16, 0.18, strength); }`;

const MOST_BUFFERS = 24;

class Painter {
  constructor() {
    this.canvas = document.createElement("canvas");
    const gl = (this.gl = this.canvas.getContext("webgl2", { antialias: true, preserveDrawingBuffer: true, alpha: false }));
    if (!gl) return;
    this.fill = this.program(VERTEX, FRAGMENT);
    this.line = this.program(VERTEX, LINE_FRAGMENT);
    this.maps = new Map();
    this.buffers = new Map();
  }

  program(vertex, fragment) {
    const gl = this.gl;
    const made = gl.createProgram();
    for (const [kind, source] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
      const shader = gl.createShader(kind);
      gl.shaderSource(shader, source);
      gl.compileShader(shader);
      gl.attachShader(made, shader);
    }
    gl.bindAttribLocation(made, 0, "place");
    gl.bindAttribLocation(made, 1, "value");
    gl.linkProgram(made);
    if (!gl.getProgramParameter(made, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(made));
    return made;
  }

  map(name) {
    const gl = this.gl;
    if (!this.maps.has(name)) {
      const texture = gl.createTexture();
      gl.bindTexture(gl.TEXTURE_2D, texture);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, STEPS, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, colourMap(name));
      for (const [key, value] of [[gl.TEXTURE_MIN_FILTER, gl.LINEAR], [gl.TEXTURE_MAG_FILTER, gl.LINEAR], [gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE], [gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE]]) gl.texParameteri(gl.TEXTURE_2D, key, value);
      this.maps.set(name, texture);
    }
    return this.maps.get(name);
  }

  /** Buffers of a mesh: corners (x, y), triangles and edge lines as corner numbers. */
  upload({ corners, triangles, lines }) {
    const gl = this.gl;
    const buffer = (target, data) => {
      const made = gl.createBuffer();
      gl.bindBuffer(target, made);
      gl.bufferData(target, data, gl.STATIC_DRAW);
      return made;
    };
    return {
      corners: buffer(gl.ARRAY_BUFFER, corners),
      triangles: buffer(gl.ELEMENT_ARRAY_BUFFER, triangles),
      lines: buffer(gl.ELEMENT_ARRAY_BUFFER, lines),
    };
  }

  /** Gives up the buffers of a mesh. */
  drop({ corners, triangles, lines }) { for (const buffer of [corners, triangles, lines]) this.gl.deleteBuffer(buffer); }

  /** The buffer of some values; the last few stay on the GPU. */
  valueBuffer(values) {
    const gl = this.gl;
    if (!this.buffers.has(values)) {
      const made = gl.createBuffer();
      gl.bindBuffer(gl.ARRAY_BUFFER, made);
      gl.bufferData(gl.ARRAY_BUFFER, values, gl.STATIC_DRAW);
      this.buffers.set(values, made);
      if (this.buffers.size > MOST_BUFFERS) {
        const [oldest, buffer] = this.buffers.entries().next().value;
        gl.deleteBuffer(buffer);
        this.buffers.delete(oldest);
      }
    }
    return this.buffers.get(values);
  }

  /** Draws those parts of a mesh that are in view; `which` is triangles or lines. */
  parts(mesh, which, mode, view) {
    const gl = this.gl;
    let run = null;
    const flush = () => { if (run) gl.drawElements(mode, run[1] - run[0], gl.UNSIGNED_INT, 4 * run[0]); run = null; };
    for (const tile of mesh.tiles) {
      const [x0, y0, x1, y1] = tile.box, [from, to] = tile[which];
      if (x1 < view[0] || x0 > view[2] || y1 < view[1] || y0 > view[3]) continue;
      if (run && run[1] !== from) flush();
      run = [run ? run[0] : from, to];
    }
    flush();
  }

  /** Draws into `target`, a canvas with its size in device pixels set; `lines` is how strong edges of cells are, 0 to 1. */
  paint(target, mesh, { centre, perPixel, range, map, values, lines }) {
    const gl = this.gl, coloured = values !== null;
    const { width, height } = target;
    if (this.canvas.width !== width || this.canvas.height !== height) Object.assign(this.canvas, { width, height });
    gl.viewport(0, 0, width, height);
    gl.clearColor(1, 1, 1, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
    const bind = (program) => {
      gl.useProgram(program);
      gl.bindBuffer(gl.ARRAY_BUFFER, mesh.corners);
      gl.enableVertexAttribArray(0);
      gl.vertexAttribPointer(0, 2, gl.FLOAT, false, 0, 0);
      if (coloured) {
        gl.bindBuffer(gl.ARRAY_BUFFER, this.valueBuffer(values));
        gl.enableVertexAttribArray(1);
        gl.vertexAttribPointer(1, 1, gl.FLOAT, false, 0, 0);
      } else gl.disableVertexAttribArray(1);
      gl.uniform4f(gl.getUniformLocation(program, "view"), centre[0], centre[1], 2 / (width * perPixel), 2 / (height * perPixel));
    };
    const half = [(width * perPixel) / 2, (height * perPixel) / 2];
    const view = [centre[0] - half[0], centre[1] - half[1], centre[0] + half[0], centre[1] + half[1]];
    bind(this.fill);
    gl.bindTexture(gl.TEXTURE_2D, this.map(map));
    gl.uniform2f(gl.getUniformLocation(this.fill, "range"), range[0], range[1]);
    gl.uniform1f(gl.getUniformLocation(this.fill, "flat_colour"), coloured ? 0 : 1);
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, mesh.triangles);
    this.parts(mesh, "triangles", gl.TRIANGLES, view);
    if (lines) {
      bind(this.line);
      gl.uniform1f(gl.getUniformLocation(this.line, "strength"), lines * (coloured ? 0.35 : 0.75));
      gl.enable(gl.BLEND);
      gl.blendFunc(gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA);
      gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, mesh.lines);
      this.parts(mesh, "lines", gl.LINES, view);
      gl.disable(gl.BLEND);
    }
    target.getContext("2d").drawImage(this.canvas, 0, 0);
  }
}

let only = null;
export const painter = () => (only ??= new Painter());
