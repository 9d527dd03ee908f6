/** Where a corner lies on the screen, and what lies on it of the picture. */
export const VERTEX = `
attribute vec2 place;
uniform vec2 origin;
uniform vec2 size;
varying vec2 vPlace;
varying vec2 vOn;
varying vec3 vNormal;
varying float vDepth;
void main() {
  vPlace = place;
  vOn = (place + 0.5 - origin) / size;
  vOn.y = 1.0 - vOn.y;
  vNormal = normalMatrix * normal;
  vDepth = -position.z;
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}`;

/** The picture or a colour of its depth, lit from above and left, with contour lines; the hole is left to a finer part. */
export const FRAGMENT = `
uniform sampler2D picture;
uniform sampler2D ramp;
uniform bool coloured;
uniform float every;
uniform vec2 range;
uniform vec4 hole;
varying vec2 vPlace;
varying vec2 vOn;
varying vec3 vNormal;
varying float vDepth;
void main() {
  if (vPlace.x > hole.x && vPlace.y > hole.y && vPlace.x < hole.z && vPlace.y < hole.w) discard;
  vec3 shown = coloured
    ? texture2D(ramp, vec2((vDepth - range.x) / max(range.y - range.x, 1e-6), 0.5)).rgb
    : texture2D(picture, vOn).rgb;
  float lit = 0.62 + 0.38 * abs(dot(normalize(vNormal), normalize(vec3(-0.35, 0.45, 0.82))));
  shown *= lit;
  if (every > 0.0) {
    float lines = vDepth / every;
    float wide = fwidth(lines);
    float off = abs(fract(lines - 0.5) - 0.5);
    // Where lines lie closer than can be told apart, none is drawn.
    float there = (1.0 - smoothstep(0.5 * wide, 1.5 * wide, off)) * (1.0 - smoothstep(0.2, 0.45, wide));
    shown = mix(shown, vec3(0.05), 0.8 * there);
  }
  gl_FragColor = vec4(shown, 1.0);
}`;
