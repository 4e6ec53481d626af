/**
 * The lit view's shading: metal/rough surface under one lamp and prefiltered surroundings.
 *
 * Sources: Walter et al., EGSR 2007 (GGX); Heitz, JCGT 3(2), 2014 (height-correlated Smith); Schlick 1994 (Fresnel);
 * Karis, "Physically based shading on mobile", 2014 (environment terms); Khronos PBR neutral tone mapper, 2024.
 */
/** The height at a place of the tile, 0 to 1, between its pixels. */
const HEIGHT_AT = /* glsl */ `
float heightAt(vec2 uv) {
  vec2 at = fract(uv) * heightSize - 0.5;
  vec2 low = floor(at);
  vec2 part = at - low;
  ivec2 size = ivec2(heightSize);
  ivec2 a = (ivec2(low) + size) % size;
  ivec2 b = (a + 1) % size;
  float top = mix(texelFetch(heightMap, a, 0).r, texelFetch(heightMap, ivec2(b.x, a.y), 0).r, part.x);
  float bottom = mix(texelFetch(heightMap, ivec2(a.x, b.y), 0).r, texelFetch(heightMap, b, 0).r, part.x);
  return mix(top, bottom, part.y);
}
`;

export const VERTEX = /* glsl */ `
in vec4 tangent;
in float raised;
uniform sampler2D heightMap;
uniform vec2 heightSize;
uniform vec2 repeats;
uniform float displacement;
out vec2 place;
out vec3 position_w;
out vec3 normal_w;
out vec3 tangent_w;
out vec3 bitangent_w;

${HEIGHT_AT}
void main() {
  place = vec2(uv.x, 1.0 - uv.y) * repeats;
  vec3 moved = position;
  if (displacement != 0.0) moved += normal * (heightAt(place) - 0.5) * displacement * raised;
  vec4 world = modelMatrix * vec4(moved, 1.0);
  position_w = world.xyz;
  normal_w = mat3(modelMatrix) * normal;
  tangent_w = mat3(modelMatrix) * tangent.xyz;
  bitangent_w = cross(normal_w, tangent_w) * tangent.w;
  gl_Position = projectionMatrix * viewMatrix * world;
}
`;

/** The light that comes from around, and how light becomes a colour of the screen. */
const SURROUNDED = /* glsl */ `
precision highp float;
uniform sampler2D surroundings;
uniform vec3 harmonics[9];
uniform vec4 levels;
/** How far the surroundings are turned, radians, and how bright they are. */
uniform vec2 sky;
uniform float exposure;

const float PI = 3.14159265;

vec3 turned(vec3 toward) {
  float c = cos(sky.x), s = sin(sky.x);
  return vec3(c * toward.x - s * toward.z, toward.y, s * toward.x + c * toward.z);
}
vec3 level(vec3 toward, float number) {
  toward = turned(toward);
  vec2 uv = vec2(atan(toward.x, toward.z) / (2.0 * PI) + 0.5, acos(clamp(toward.y, -1.0, 1.0)) / PI);
  float y = clamp(uv.y * levels.y, 0.5, levels.y - 0.5);
  return texture(surroundings, vec2(uv.x, (number * levels.y + y) / (levels.y * levels.z))).rgb * sky.y;
}

vec3 mirrored(vec3 toward, float roughness) {
  float at = roughness * (levels.z - 1.0);
  float low = min(floor(at), levels.z - 2.0);
  return mix(level(toward, low), level(toward, low + 1.0), at - low);
}

vec3 diffuseLight(vec3 n) {
  n = turned(n);
  return sky.y * max(vec3(0.0), harmonics[0] * 0.282095 + harmonics[1] * 0.488603 * n.y + harmonics[2] * 0.488603 * n.z
    + harmonics[3] * 0.488603 * n.x + harmonics[4] * 1.092548 * n.x * n.y + harmonics[5] * 1.092548 * n.y * n.z
    + harmonics[6] * 0.315392 * (3.0 * n.z * n.z - 1.0) + harmonics[7] * 1.092548 * n.x * n.z
    + harmonics[8] * 0.546274 * (n.x * n.x - n.y * n.y));
}
vec3 neutral(vec3 c) {
  const float start = 0.8 - 0.04;
  float x = min(c.r, min(c.g, c.b));
  c -= x < 0.08 ? x - 6.25 * x * x : 0.04;
  float peak = max(c.r, max(c.g, c.b));
  if (peak < start) return c;
  float d = 1.0 - start;
  float squeezed = 1.0 - d * d / (peak + d - start);
  c *= squeezed / peak;
  return mix(vec3(squeezed), c, 1.0 / (0.15 * (peak - squeezed) + 1.0));
}

vec3 coded(vec3 c) {
  c = clamp(c, 0.0, 1.0);
  return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
}
`;

export const FRAGMENT = /* glsl */ `
${SURROUNDED}
uniform sampler2D baseMap;
uniform sampler2D normalMap;
uniform sampler2D packedMap;
uniform sampler2D heightMap;
uniform vec2 heightSize;
/** How far white stands above black, in tile widths, as it is displaced; how high a tile is for its width. */
uniform vec2 relief;
uniform float shadows;
uniform float varnish;
/** 0 as it is, 1 colour alone, 2 height as shading, 3 normals. */
uniform int shown;
uniform vec3 toLamp;
uniform float lamp;
uniform vec4 flags;
uniform float occluded;
uniform sampler2D specularMap;
uniform sampler2D emissiveMap;
uniform sampler2D opacityMap;
uniform sampler2D translucencyMap;
uniform vec4 further;
uniform vec3 behind;
/** Toward the viewer where all rays run alike; zero in perspective. */
uniform vec3 parallel;
in vec2 place;
in vec3 position_w;
in vec3 normal_w;
in vec3 tangent_w;
in vec3 bitangent_w;
out vec4 colour;

vec2 environmentTerms(float roughness, float cosine) {
  const vec4 c0 = vec4(-1.0, -0.0275, -0.572, 0.022);
  const vec4 c1 = vec4(1.0, 0.0425, 1.04, -0.04);
  vec4 r = roughness * c0 + c1;
  float a = min(r.x * r.x, exp2(-9.28 * cosine)) * r.x + r.y;
  return vec2(-1.04, 1.04) * a + r.zw;
}

${HEIGHT_AT}
float raisedAt(vec2 uv) {
  return heightAt(uv) * relief.x;
}

/** The same for what is looked at many times: the texture unit mixes, to 1 in 256 of the way between two px. */
float nearlyRaisedAt(vec2 uv) {
#ifdef SMOOTH
  return textureLod(heightMap, uv, 0.0).r * relief.x;
#else
  return raisedAt(uv);
#endif
}

/** How much of the lamp reaches a place, past what stands higher: rays through the height. toward: lamp in the
 * surface's own frame. */
float reachedBy(vec3 toward) {
  if (relief.x <= 0.0 || toward.z <= 0.02) return toward.z > 0.02 ? 1.0 : 0.0;
  const int steps = 18;
  float from = raisedAt(place), room = relief.x - from;
  vec2 run = vec2(toward.x, -toward.y / relief.y) / toward.z;
  // What stands further off than half a tile hides nothing that is seen.
  room = min(room, 0.5 / max(length(run), 1e-3));
  float hidden = 0.0;
  for (int i = 1; i <= steps; i++) {
    float part = float(i) / float(steps);
    float up = room * part * part;
    float over = nearlyRaisedAt(place + run * up) - (from + up) - 0.01 * relief.x;
    hidden = max(hidden, over / (0.12 * up + 0.02 * relief.x));
  }
  return 1.0 - clamp(hidden, 0.0, 1.0);
}

/** The normal that the height's slopes alone show, as far as neighbouring points of the screen tell them. */
vec3 bumped(vec3 n) {
  vec3 across = dFdx(position_w), down = dFdy(position_w);
  float h = raisedAt(place), widths = length(dFdx(place) * vec2(1.0, relief.y));
  float size = length(across) / max(widths, 1e-6);
  vec3 r1 = cross(down, n), r2 = cross(n, across);
  float d = dot(across, r1);
  return normalize(abs(d) * n - sign(d) * size * (dFdx(h) * r1 + dFdy(h) * r2));
}

void main() {
  vec3 base = flags.x > 0.5 ? texture(baseMap, place).rgb : vec3(0.5);
  vec3 packed_ = texture(packedMap, place).rgb;
  float occlusion = occluded > 0.5 ? packed_.r : 1.0;
  float roughness = clamp(flags.z > 0.5 ? packed_.g : 0.6, 0.04, 1.0);
  float metallic = flags.w > 0.5 ? packed_.b : 0.0;
  vec3 n = normalize(normal_w);
  vec3 flat_ = n;
  if (shown == 2) n = bumped(n);
  if (flags.y > 0.5 && (shown == 0 || shown == 3)) {
    vec3 leaning = texture(normalMap, place).rgb * 2.0 - 1.0;
    n = normalize(leaning.x * normalize(tangent_w) + leaning.y * normalize(bitangent_w) + leaning.z * n);
  }
  float solid = further.z > 0.5 ? texture(opacityMap, place).r : 1.0;
  if (solid < 0.004) discard;
  vec3 v = dot(parallel, parallel) > 0.5 ? parallel : normalize(cameraPosition - position_w);
  // Both sides of what is thin are seen.
  if (!gl_FrontFacing) {
    n = -n;
    flat_ = -flat_;
  }
  float nv = max(dot(n, v), 0.02);
  vec3 f0 = mix(further.x > 0.5 ? texture(specularMap, place).rgb : vec3(0.04), base, metallic);
  vec3 matte = base * (1.0 - metallic);
  // Surroundings.
  vec2 terms = environmentTerms(roughness, nv);
  float open_ = clamp(pow(nv + occlusion, exp2(-16.0 * roughness - 1.0)) - 1.0 + occlusion, 0.0, 1.0);
  vec3 light = matte * diffuseLight(n) * occlusion + mirrored(reflect(-v, n), roughness) * (f0 * terms.x + terms.y) * open_;
  // The lamp.
  vec3 l = normalize(toLamp);
  float nl = max(dot(n, l), 0.0);
  if (nl > 0.0 && lamp > 0.0) {
    vec3 h = normalize(l + v);
    float nh = max(dot(n, h), 0.0), vh = max(dot(v, h), 0.0);
    float a = roughness * roughness, a2 = a * a;
    float spread = nh * nh * (a2 - 1.0) + 1.0;
    float d = a2 / (PI * spread * spread);
    float masking = 0.5 / (nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2));
    vec3 f = f0 + (1.0 - f0) * pow(1.0 - vh, 5.0);
    // Recesses that the sky does not reach, a raking lamp does not reach either.
    float reached = mix(1.0, occlusion, 0.6 * (1.0 - max(dot(normalize(normal_w), l), 0.0)));
    vec3 own = vec3(dot(l, normalize(tangent_w)), dot(l, normalize(bitangent_w)), dot(l, flat_));
    if (shadows > 0.5) reached = reachedBy(own);
    light += (matte * (1.0 - f) / PI + f * d * masking) * nl * lamp * PI * reached;
  }
  if (varnish > 0.0) {
    // A clear film that levels what is fine under it: what it mirrors does not reach the surface, in or out.
    vec3 film = normalize(mix(flat_, n, 0.25));
    float fv = max(dot(film, v), 0.02);
    float f = 0.04 + 0.96 * pow(1.0 - fv, 5.0);
    light *= (1.0 - varnish * f) * (1.0 - varnish * f);
    light += varnish * mirrored(reflect(-v, film), 0.06) * f;
    vec3 h = normalize(l + v);
    float nh = max(dot(film, h), 0.0), fl = max(dot(film, l), 0.0);
    float spread = nh * nh * (0.0001 - 1.0) + 1.0;
    light += varnish * 0.04 * min(0.0001 / (PI * spread * spread), 400.0) * 0.25 * fl * lamp * PI;
  }
  if (further.w > 0.5) {
    // Light that comes through a thin surface: what falls on its other side, spread evenly.
    vec3 through = texture(translucencyMap, place).rgb;
    light += through * (diffuseLight(-n) + max(dot(-n, l), 0.0) * lamp);
  }
  if (further.y > 0.5) light += texture(emissiveMap, place).rgb;
  colour = vec4(mix(behind, coded(neutral(light * exposure)), solid), 1.0);
}
`;

/** What lies around, far off. */
export const SKY_VERTEX = /* glsl */ `
out vec3 toward;
void main() {
  toward = position;
  vec4 at = projectionMatrix * mat4(mat3(viewMatrix)) * vec4(position, 1.0);
  gl_Position = at.xyww;
}
`;

export const SKY_FRAGMENT = /* glsl */ `
${SURROUNDED}
in vec3 toward;
out vec4 colour;

void main() {
  colour = vec4(coded(neutral(mirrored(normalize(toward), 0.08) * exposure)), 1.0);
}
`;
