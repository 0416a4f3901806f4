#version 330
uniform vec3 top;
uniform vec3 bottom;
in vec2 place;
out vec4 pixel;

void main() {
    // a little noise keeps the slow gradient free of bands
    float grain = fract(sin(dot(gl_FragCoord.xy, vec2(12.9898, 78.233))) * 43758.5453) - 0.5;
    pixel = vec4(mix(top, bottom, place.y) + grain / 255.0, 1.0);
}
