#version 330
uniform vec4 colour;
uniform vec3 tint_colour;
uniform vec3 low_colour;
in float shade;
out vec4 pixel;

void main() {
    vec3 other = shade < 0.0 ? low_colour : tint_colour;
    pixel = vec4(mix(colour.rgb, other, clamp(abs(shade), 0.0, 1.0)), colour.a);
}
