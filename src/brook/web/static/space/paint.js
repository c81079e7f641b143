// How triangles and lines of a shape are painted by a graphics processor, and the light that both painters use.

import { BackSide, Color, DoubleSide, LinearSRGBColorSpace, ShaderMaterial, Vector4 } from "../vendor/three/three.module.min.js";

export const LIGHT = { base: 0.56, front: 0.3, side: 0.17, way: [0.43, 0.52, 0.74] };
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
