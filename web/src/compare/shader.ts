import type { Schemas } from '../api/client';

type Program = Schemas['Program'];

/** Stops around middle grey, from LOWEST on, each with its colour. */
export const STOP_COLOURS = [
  [0.09, 0.05, 0.16], [0.16, 0.1, 0.32], [0.18, 0.2, 0.47], [0.17, 0.33, 0.55], [0.2, 0.46, 0.55], [0.34, 0.55, 0.53],
  [0.5, 0.5, 0.5],
  [0.62, 0.57, 0.4], [0.74, 0.6, 0.3], [0.84, 0.58, 0.22], [0.9, 0.5, 0.26], [0.95, 0.66, 0.55], [1, 0.93, 0.88],
] as const;
export const LOWEST_STOP = -6;

/** Nits from which each colour of the heat map holds. */
export const NITS = [
  { from: 0, colour: [0.07, 0.06, 0.12] },
  { from: 0.1, colour: [0.17, 0.13, 0.3] },
  { from: 1, colour: [0.2, 0.27, 0.45] },
  { from: 10, colour: [0.25, 0.45, 0.52] },
  { from: 50, colour: [0.5, 0.5, 0.5] },
  { from: 100, colour: [0.68, 0.58, 0.38] },
  { from: 203, colour: [0.82, 0.58, 0.24] },
  { from: 400, colour: [0.9, 0.5, 0.28] },
  { from: 1000, colour: [0.96, 0.68, 0.56] },
  { from: 4000, colour: [1, 0.94, 0.9] },
] as const;
const NITS_OF_ONE = 100;

/** One triangle over all of the canvas. */
export const VERTEX = `#version 300 es
out vec2 place;
void main() {
  vec2 corner = vec2(float((gl_VertexID << 1) & 2), float(gl_VertexID & 2));
  place = vec2(corner.x, 1.0 - corner.y);
  gl_Position = vec4(corner * 2.0 - 1.0, 0.0, 1.0);
}`;

/** What a shader is made for. It is known when the shader is compiled, so that what is not asked for costs nothing. */
export interface Variant {
  place: number;
  inLog: boolean;
  curves: boolean;
  marks: number;
  inNits: boolean;
}

/** The fragment shader of a view's program: exposure, grade, view, and what is marked. */
export const fragment = (program: Program, { place, inLog, curves, marks, inNits }: Variant) => `#version 300 es
precision highp float;
precision highp int;
precision highp sampler2D;
precision highp sampler3D;
uniform sampler2D light;
uniform float gain;
uniform vec4 part;
const int marks = ${marks};
uniform vec3 luminance;
const int gradePlace = ${place};
uniform vec3 slope, offset, power;
uniform float saturation, gradeGain;
const bool inLog = ${inLog}, curves = ${curves}, inNits = ${inNits};
uniform mat3 toLog, fromLog;
uniform float heights[5], slopes[5];
uniform vec3 stopColours[${STOP_COLOURS.length}];
uniform vec3 nitColours[${NITS.length}];
uniform float nitsFrom[${NITS.length}];
in vec2 place;
out vec4 colour;
${program.glsl}
float curved(float x) {
  if (x <= 0.0) return heights[0] + x * slopes[0];
  if (x >= 1.0) return heights[4] + (x - 1.0) * slopes[4];
  int part = int(min(floor(x * 4.0), 3.0));
  float t = x * 4.0 - float(part), s = 1.0 - t;
  return heights[part] * (1.0 + 2.0 * t) * s * s + slopes[part] * 0.25 * t * s * s
    + heights[part + 1] * t * t * (1.0 + 2.0 * s) - slopes[part + 1] * 0.25 * t * t * s;
}
vec3 cdl(vec3 value, bool clamped) {
  value = value * slope + offset;
  if (clamped) value = clamp(value, 0.0, 1.0);
  value = mix(value, pow(max(value, vec3(1e-10)), power), vec3(greaterThan(value, vec3(0.0))));
  float luma = dot(value, vec3(0.2126, 0.7152, 0.0722));
  value = luma + saturation * (value - luma);
  return clamped ? clamp(value, 0.0, 1.0) : value;
}
// ACEScct, S-2016-001.
float encoded(float x) {
  return x <= 0.0078125 ? 10.5402377416545 * x + 0.0729055341958355 : (log2(x) + 9.72) / 17.52;
}
float decoded(float y) {
  return y <= 0.155251141552511 ? (y - 0.0729055341958355) / 10.5402377416545 : exp2(min(y * 17.52 - 9.72, 126.0));
}
vec3 graded(vec3 value, bool clamped) {
  value *= gradeGain;
  if (inLog) {
    vec3 there = toLog * value;
    value = vec3(encoded(there.r), encoded(there.g), encoded(there.b));
  }
  value = cdl(value, clamped);
  if (curves) value = vec3(curved(value.r), curved(value.g), curved(value.b));
  if (inLog) value = fromLog * vec3(decoded(value.r), decoded(value.g), decoded(value.b));
  return clamped ? clamp(value, 0.0, 1.0) : value;
}
void main() {
  vec2 at = part.xy + place * part.zw;
  if (any(lessThan(at, vec2(0.0))) || any(greaterThan(at, vec2(1.0)))) {
    colour = vec4(0.0, 0.0, 0.0, 0.0);
    return;
  }
  vec3 scene = texture(light, at).rgb * gain;
  if (gradePlace == 1) scene = graded(scene, false);
  vec3 shown = ${program.function}(vec4(scene, 1.0)).rgb;
  if (gradePlace == 2) shown = graded(shown, true);
  if (inNits) {
    float nits = max(shown.g, 0.0) * ${NITS_OF_ONE}.0;
    shown = nitColours[0];
    for (int band = 1; band < ${NITS.length}; band++) if (nits >= nitsFrom[band]) shown = nitColours[band];
    colour = vec4(shown, 1.0);
    return;
  }
  bool striped = mod(gl_FragCoord.x + gl_FragCoord.y, 8.0) < 4.0;
  if (marks == 1) {
    float stops = log2(max(dot(scene, luminance), 1e-9) / 0.18);
    int band = int(clamp(floor(stops + 0.5) - float(${LOWEST_STOP}), 0.0, ${(STOP_COLOURS.length - 1).toFixed(1)}));
    shown = stopColours[band];
  } else if (marks == 2 && any(greaterThanEqual(shown, vec3(0.9999)))) {
    shown = vec3(striped ? 0.0 : 1.0);
  } else if (marks == 3 && any(lessThan(scene, vec3(0.0)))) {
    shown = vec3(striped ? 0.0 : 1.0);
  } else if (marks == 4 && any(lessThanEqual(shown, vec3(0.0))) && any(greaterThan(shown, vec3(0.02)))) {
    shown = vec3(striped ? 0.0 : 1.0);
  }
  colour = vec4(shown, 1.0);
}`;
