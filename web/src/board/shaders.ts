/** The shaders that throw plates on solids, and that say which face a plate's camera sees. */

/** The level that the graphics card picks, as a share of a footprint, and what the lobes beside it take away: together
 * nearly as sharp as the engine's own filter. */
const SHARP = '0.5'
const LOBE = '0.08'

/** From linear light to display values, as a function of the shaders. */
const DISPLAY = /* glsl */ `
vec3 display(vec3 v) {
  vec3 curve = 1.055 * pow(max(v, vec3(1e-6)), vec3(1.0 / 2.4)) - 0.055;
  return mix(curve, 12.92 * v, lessThanEqual(v, vec3(0.0031308)));
}`

/** A place of a face as the view has it; what is drawn before a level lies as deep as that level does there. A depth is
 * linear over the screen, so that its corners say all of it. */
const PASSED = /* glsl */ `
in float passes;
vec4 passed(vec4 world) {
  vec4 at = projectionMatrix * viewMatrix * world;
  float over = cameraPosition.y - passes;
  if (over > 0.0001 && world.y <= passes + 0.0001) {
    vec3 level = cameraPosition + (world.xyz - cameraPosition) * (over / (cameraPosition.y - world.y));
    vec4 there = projectionMatrix * viewMatrix * vec4(level, 1.0);
    at.z = (there.z / there.w - 0.00001) * at.w;
  }
  return at;
}`

export const vertex = /* glsl */ `${PASSED}
in float face;
flat out float vFace;
out vec3 vWorld;
out vec3 vNormal;
flat out float vAway;
void main() {
  vAway = dot(normal, position);
  vFace = face;
  vWorld = position;
  vNormal = normal;
  gl_Position = passed(modelMatrix * vec4(position, 1.0));
}`

export const shadedVertex = /* glsl */ `${PASSED}
in float slant;
out float vSlant;
out vec3 vNormal;
void main() {
  vSlant = slant;
  vNormal = normal;
  gl_Position = passed(vec4(position, 1.0));
}`
export const shadedFragment = /* glsl */ `
precision highp float;
in float vSlant;
in vec3 vNormal;
out vec4 colour;
void main() {
  vec3 n = normalize(vNormal);
  float light = 0.5 + 0.32 * n.y + 0.18 * abs(n.z) - 0.1 * n.x;
  vec3 tone = vec3(0.93, 0.92, 0.88) * light;
  if (vSlant > 0.5 && mod(gl_FragCoord.x + gl_FragCoord.y, 9.0) < 2.0) tone = vec3(0.72, 0.48, 0.07);
  colour = vec4(tone, 1.0);
}`

/** Of a cut-out nothing is drawn where its own picture is clear. */
const CUT_OUT = /* glsl */ `
  vec4 h = plate * vec4(vWorld, 1.0);
  vec2 uv = h.xy / h.z;
  bool off = h.z <= 0.0 || uv.x < 0.0 || uv.y < 0.0 || uv.x > 1.0 || uv.y > 1.0;
  if (off || texture(picture, uv).a < 0.5) discard;`
/** The thin part of a cut-out's soft border is in no picture of face numbers; it hides nothing, and is seen. */
const THIN = 'seen = seen || texture(picture#, uv).a < 0.5;'
const CLEAR_WHERE_NOTHING = /* glsl */ `
  if (acc.a < 0.004) discard;
  colour = vec4(drawn(clamp(acc.rgb / acc.a, 0.0, 1.0)), acc.a * opaque);`
const BARE_WHERE_NOTHING = /* glsl */ `
  colour = vec4(acc.a < 0.5 ? paper(bare * light) : drawn(clamp(acc.rgb / acc.a, 0.0, 1.0)), 1.0);`

/** From linear light in a picture of its own to the screen. */
export const screenVertex = /* glsl */ `
void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }`
export const screenFragment = /* glsl */ `
precision highp float;
uniform sampler2D light;
out vec4 colour;
${DISPLAY}
void main() {
  vec4 v = texelFetch(light, ivec2(gl_FragCoord.xy), 0);
  colour = vec4(display(v.rgb), v.a);
}`

export function idFragment(cut: boolean): string {
  return /* glsl */ `
precision highp float;
flat in float vFace;
in vec3 vWorld;
out vec4 colour;
${cut ? 'uniform mat4 plate; uniform sampler2D picture;' : ''}
void main() {
  ${cut ? CUT_OUT : ''}
  float n = vFace + 1.0;
  colour = vec4(mod(n, 256.0), mod(floor(n / 256.0), 256.0), floor(n / 65536.0), 255.0) / 255.0;
}`
}

export function lookFragment(throws: number, occlusion: boolean[], cut: boolean): string {
  let body = ''
  for (let i = 0; i < throws; i++) {
    body += /* glsl */ `
  { vec4 h = plate${i} * vec4(vWorld, 1.0);
    vec2 uv = h.xy / h.z;
    vec2 gx = dFdx(uv), gy = dFdy(uv);
    bool inside = h.z > 0.0 && uv.x >= 0.0 && uv.y >= 0.0 && uv.x <= 1.0 && uv.y <= 1.0;
    if (inside && acc.a < 0.999 && !done) {
      bool seen = ${occlusion[i] ? `dot(vNormal, eye${i} - vWorld) > 0.0 && sees(ids${i}, uv)` : 'true'};
      ${cut ? THIN.replaceAll('#', String(i)) : ''}
      if (seen) {
        vec4 c;
        if (plainly > 0.5) c = textureGrad(picture${i}, uv, gx, gy);
        else {
          vec2 dx = 0.27 * gx, dy = 0.27 * gy, nx = ${SHARP} * gx, ny = ${SHARP} * gy;
          vec4 near = textureGrad(picture${i}, uv + dx + dy, nx, ny) + textureGrad(picture${i}, uv + dx - dy, nx, ny) +
            textureGrad(picture${i}, uv - dx + dy, nx, ny) + textureGrad(picture${i}, uv - dx - dy, nx, ny);
          vec4 far = textureGrad(picture${i}, uv + gx, gx, gy) + textureGrad(picture${i}, uv - gx, gx, gy) +
            textureGrad(picture${i}, uv + gy, gx, gy) + textureGrad(picture${i}, uv - gy, gx, gy);
          c = clamp((0.25 + ${LOBE}) * near - ${LOBE} * far, 0.0, 1.0);
        }
        acc += (1.0 - acc.a) * vec4(c.rgb * c.a, c.a);
        ${cut ? 'done = true;' : ''}
      }
    } }`
  }
  const uniforms = Array.from(
    { length: throws },
    (_, i) => `uniform mat4 plate${i}; uniform vec3 eye${i}; uniform sampler2D picture${i}; uniform sampler2D ids${i};`,
  ).join('\n')
  return /* glsl */ `
precision highp float;
precision highp sampler2D;
flat in float vFace;
in vec3 vNormal;
out vec4 colour;
uniform vec3 bare;
uniform vec3 standpoint;
uniform mat3 rays;
uniform float opaque;
uniform float plainly;
flat in float vAway;
${uniforms}
bool own(sampler2D ids, ivec2 at) {
  vec4 c = texelFetch(ids, at, 0) * 255.0;
  return abs(floor(c.r + 0.5) + 256.0 * floor(c.g + 0.5) + 65536.0 * floor(c.b + 0.5) - 1.0 - vFace) < 0.5;
}
bool sees(sampler2D ids, vec2 uv) {
  ivec2 last = textureSize(ids, 0) - 1;
  ivec2 at = ivec2(vec2(uv.x, 1.0 - uv.y) * vec2(last + 1));
  if (own(ids, clamp(at, ivec2(0), last))) return true;
  for (int j = -1; j <= 1; j++) for (int i = -1; i <= 1; i++)
    if (own(ids, clamp(at + ivec2(i, j), ivec2(0), last))) return true;
  return false;
}
uniform float lit;
${DISPLAY}
vec3 drawn(vec3 v) { return lit > 0.5 ? v : display(v); }
vec3 paper(vec3 v) { return lit > 0.5 ? pow(v, vec3(2.2)) : v; }
void main() {
  vec4 acc = vec4(0.0);
  bool done = false;
  // where the pixel's ray meets the face's plane: what is interpolated over a large face is off by up to a pixel
  vec3 ray = rays * vec3(gl_FragCoord.xy, 1.0);
  vec3 vWorld = standpoint + ray * ((vAway - dot(vNormal, standpoint)) / dot(vNormal, ray));
  float light = 0.7 + 0.3 * abs(dot(normalize(vNormal), vec3(0.42, 0.82, 0.39)));
  ${body}
  ${cut ? (throws ? CLEAR_WHERE_NOTHING : 'colour = vec4(paper(bare * light), 1.0);') : BARE_WHERE_NOTHING}
}`
}
