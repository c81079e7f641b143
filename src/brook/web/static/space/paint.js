// How triangles and lines of a shape are painted by a graphics processor, and the light that both painters use.

import { BackSide, Color, DoubleSide, LinearSRGBColorSpace, ShaderMaterial, Vector2, Vector4 } from "../vendor/three/three.module.min.js";

export const LIGHT = { base: 0.56, front: 0.3, side: 0.17, way: [0.43, 0.52, 0.74] };
export const SHADE = { base: 0.72, front: 0.28 }; // of surfaces that are coloured by values
const SOFT = 0.2; // how much white is mixed into the colours of patches, so that what is laid over stands out
export const INSIDE = [207, 198, 180]; // what is seen from behind, whatever its patch

const plain = (hex) => new Color().setStyle(hex, LinearSRGBColorSpace); // as it is shown, not as light adds up

/** Red, green and blue from 0 to 255 of a colour mixed with white. */
export function rgbOf(hex, white) {
  return [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16)).map((v) => v + white * (255 - v));
}

const OVER = "#ifdef CUT\nvarying float over;\n#endif\n";
const CUT_AWAY = "#ifdef CUT\nif (over < 0.0) discard;\n#endif\n";

/** Places on the screen, a little `nearer` than they are; how far over the cut; `seen` from the eye. */
const VERTICES = `
  uniform float nearer;
  uniform vec4 plane;
  varying vec3 seen;
  ${OVER}
  void main() {
    vec4 at = modelViewMatrix * vec4(position, 1.0);
    seen = at.xyz;
    #ifdef CUT
    over = dot(plane.xyz, position) + plane.w;
    #endif
    gl_Position = projectionMatrix * at;
    gl_Position.z -= nearer * gl_Position.w;
  }`;

const SURFACE = {
  vertexShader: VERTICES,
  fragmentShader: `
    varying vec3 seen;
    uniform vec3 colour;
    uniform vec3 inside;
    ${OVER}
    void main() {
      ${CUT_AWAY}
      vec3 normal = normalize(cross(dFdx(seen), dFdy(seen)));
      float light = ${LIGHT.base} + ${LIGHT.front} * normal.z + ${LIGHT.side} * max(0.0, dot(normal, vec3(${LIGHT.way.join(", ")})));
      gl_FragColor = vec4((gl_FrontFacing ? colour : inside) * light, 1.0);
    }`,
};

const LINES = {
  vertexShader: VERTICES,
  fragmentShader: `
    uniform vec3 colour;
    uniform float opacity;
    ${OVER}
    void main() {
      ${CUT_AWAY}
      gl_FragColor = vec4(colour, opacity);
    }`,
};

/** Triangles in the colour of their patch, softened so that what is laid over stands out; one colour inside. */
export function surfacePaint(colour, { soft = SOFT, nearer = 0, around = false } = {}) {
  const shown = plain(colour).lerp(plain("#ffffff"), soft);
  const made = new ShaderMaterial({ ...SURFACE, side: around ? BackSide : DoubleSide, uniforms: { colour: { value: shown }, inside: { value: nearer ? shown : new Color(...INSIDE.map((v) => v / 255)) }, nearer: { value: nearer }, plane: { value: new Vector4() } } });
  made.usual = shown.clone();
  return made;
}

export function linePaint(colour, { opacity = 1, nearer = 2e-4, through = false } = {}) {
  return new ShaderMaterial({ ...LINES, transparent: opacity < 1 || through, depthTest: !through, uniforms: { colour: { value: plain(colour) }, opacity: { value: opacity }, nearer: { value: nearer }, plane: { value: new Vector4() } } });
}

const VALUES = (lit) => ({
  vertexShader: VERTICES.replace("uniform float nearer;", "uniform float nearer;\nattribute float share;\nvarying float shared;").replace("void main() {", "void main() {\nshared = share;"),
  fragmentShader: `
    varying vec3 seen;
    varying float shared;
    uniform sampler2D map;
    uniform float bands;
    ${OVER}
    void main() {
      ${CUT_AWAY}
      if (!(shared >= 0.0)) discard;
      float at = bands > 0.0 ? (min(floor(shared * bands), bands - 1.0) + 0.5) / bands : shared;
      vec3 colour = texture2D(map, vec2((at * 255.0 + 0.5) / 256.0, 0.5)).rgb;
      ${lit ? `vec3 normal = normalize(cross(dFdx(seen), dFdy(seen)));
      colour *= ${SHADE.base} + ${SHADE.front} * abs(normal.z);` : ""}
      gl_FragColor = vec4(colour, 1.0);
    }`,
});

/** Triangles in the colours of their values: `map` is a texture of 256 colours. */
export function valuePaint(map, { lit, nearer = 0 }) {
  return new ShaderMaterial({ ...VALUES(lit), side: DoubleSide, uniforms: { map: { value: map }, bands: { value: 0 }, nearer: { value: nearer }, plane: { value: new Vector4() } } });
}

/** Strokes some pixels wide: each segment is four corners, `other` the far end of each, `side` to which side it is put. */
export function strokePaint(map, colour, width) {
  return new ShaderMaterial({
    vertexShader: `
      attribute vec3 other;
      attribute float side;
      attribute float share;
      varying float shared;
      uniform vec2 size;
      uniform float width;
      void main() {
        shared = share;
        vec4 at = projectionMatrix * modelViewMatrix * vec4(position, 1.0), to = projectionMatrix * modelViewMatrix * vec4(other, 1.0);
        vec2 way = (to.xy / to.w - at.xy / at.w) * size;
        vec2 across = length(way) > 1e-6 ? normalize(vec2(-way.y, way.x)) : vec2(0.0, 1.0);
        at.xy += side * across * width / size * at.w;
        at.z -= 4e-4 * at.w;
        gl_Position = at;
      }`,
    fragmentShader: `
      varying float shared;
      uniform sampler2D map;
      uniform vec3 colour;
      void main() { gl_FragColor = vec4(${colour ? "colour" : "texture2D(map, vec2((clamp(shared, 0.0, 1.0) * 255.0 + 0.5) / 256.0, 0.5)).rgb"}, 1.0); }`,
    side: DoubleSide, uniforms: { map: { value: map }, colour: { value: plain(colour || "#000000") }, size: { value: new Vector2(1, 1) }, width: { value: width } },
  });
}

/** Lights a patch up, or shows it as usual. */
export function light(material, wanted) {
  material.uniforms.colour.value.copy(material.usual);
  if (wanted) material.uniforms.colour.value.lerp(plain("#ffffff"), 0.45);
}

/** Leaves out what lies under a plane (four numbers), or nothing. */
export function cut(material, plane) {
  const on = plane !== null;
  if (on !== "CUT" in material.defines) {
    if (on) material.defines.CUT = 1;
    else delete material.defines.CUT;
    material.needsUpdate = true;
  }
  if (on) material.uniforms.plane.value.set(...plane);
}

/** Unit normals of triangles. */
export function normalsOf({ points: p, triangles: t }) {
  const found = new Float32Array(t.length);
  for (let n = 0; n < t.length; n += 3) {
    const a = 3 * t[n], b = 3 * t[n + 1], c = 3 * t[n + 2];
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2], vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
    const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, size = Math.sqrt(x * x + y * y + z * z) || 1;
    found[n] = x / size;
    found[n + 1] = y / size;
    found[n + 2] = z / size;
  }
  return found;
}
