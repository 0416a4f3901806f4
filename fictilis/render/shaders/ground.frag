#version 330
// Lines with ticks as on a ruler, one pixel wide at any distance, that fade out before they crowd and toward their end; and a shadow.
uniform vec2 middle;
uniform float reach;
uniform float gap; // cm from line to line, with five ticks to it
uniform vec3 colour;
uniform mat4 beneath; // to the picture of the shadow
uniform float dark; // at its darkest
uniform float height;
uniform sampler2D shadow;
in vec2 place;
out vec4 pixel;

vec2 near(vec2 at, vec2 wide) { // how much of each pixel lies on a whole number
    return clamp(1.2 - abs(fract(at - 0.5) - 0.5) / wide, 0.0, 1.0) * clamp(1.0 - wide * 2.5, 0.0, 1.0);
}

void main() {
    float away = length(place - middle) / reach;
    if (away > 1.0) {
        discard;
    }
    vec2 at = place / gap, wide = max(fwidth(at), vec2(1e-6));
    vec2 line = near(at, wide), tick = near(at * 5.0, wide * 5.0);
    vec2 beside = abs(fract(at - 0.5) - 0.5);
    float ticks = max(tick.x * step(beside.y, 0.05), tick.y * step(beside.x, 0.05));
    float end = 1.0 - smoothstep(0.3, 1.0, away);
    float seen = max(max(line.x, line.y) * 0.5, ticks * 0.4) * end, shade = 0.0;
    if (dark > 0.0) {
        vec2 found = (beneath * vec4(place.x, height, place.y, 1.0)).xy * 0.5 + 0.5;
        if (all(greaterThan(found, vec2(0.0))) && all(lessThan(found, vec2(1.0)))) {
            shade = dark * end * texture(shadow, found).r;
        }
    }
    float whole = seen + shade * (1.0 - seen);
    pixel = vec4(mix(vec3(0.02, 0.015, 0.01), colour, seen / max(whole, 1e-4)), whole);
}
