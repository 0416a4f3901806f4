#version 330
// Clay: a warm key light from the upper left of the viewer, a cool fill from below, a soft rim. PLAIN has neither tint nor cloth.
// Relief: what bulges is lighter and what is hollow darker, by the mean curvature. Source: H = (eG - 2fF + gE) / 2(EG - F²) of the
// two fundamental forms (do Carmo, Differential Geometry of Curves and Surfaces, 3-3), here by what differs between pixels.
uniform vec3 colour;
uniform float strength;
uniform vec3 key_light;
uniform vec3 eye;
uniform vec3 back;
uniform float parallel_view;
uniform float flat_shading;
uniform float alpha;
uniform float relief;
uniform float span; // cm over which a bend counts
uniform int glaze; // 0 matt, 1 glazed, 2 lines of light
in vec3 world;
in vec3 turned;
#ifndef PLAIN
uniform vec3 tint_colour;
uniform vec3 low_colour;
uniform int cloth; // 0 none, 1 checker, 2 image
uniform float tiles;
uniform sampler2D image;
in float amount;
in vec2 laid;
#endif
out vec4 pixel;

void main() {
    vec3 toward = parallel_view > 0.5 ? back : normalize(eye - world);
    vec3 right = dFdx(world), down = dFdy(world);
    vec3 front = cross(right, down); // of the triangle: at the outline a normal between points may look away from the viewer
    front *= dot(front, toward) < 0.0 ? -1.0 : 1.0;
    vec3 n = normalize((flat_shading > 0.5 ? front : turned) + vec3(1e-9));
    float side = dot(n, front) < 0.0 ? -1.0 : 1.0;
    n *= side;
    float facing = max(dot(n, toward), 0.0);
    float key = dot(n, key_light);
    float wrap = clamp(key * 0.62 + 0.38, 0.0, 1.0);
    vec3 light = vec3(0.40, 0.37, 0.38) + wrap * vec3(0.62, 0.61, 0.59) + max(-n.y, 0.0) * vec3(0.05, 0.06, 0.08);
    vec3 clay = colour;
#ifndef PLAIN
    if (cloth > 0 && laid.x == laid.x) {
        if (cloth == 1) {
            vec2 field = floor(laid * tiles);
            clay = mix(colour, mod(field.x + field.y, 2.0) < 0.5 ? vec3(0.93, 0.90, 0.84) : vec3(0.24, 0.22, 0.20), 0.82);
        } else {
            clay = texture(image, vec2(laid.x, 1.0 - laid.y)).rgb;
        }
    }
    clay = mix(clay, amount >= 0.0 ? tint_colour : low_colour, abs(amount) * 0.78);
#endif
    if (relief > 0.0 && flat_shading < 0.5) {
        vec3 turns_right = dFdx(n), turns_down = dFdy(n);
        float E = dot(right, right), F = dot(right, down), G = dot(down, down);
        float e = dot(turns_right, right), f = 0.5 * (dot(turns_right, down) + dot(turns_down, right)), g = dot(turns_down, down);
        float bend = span * (e * G - 2.0 * f * F + g * E) / max(2.0 * (E * G - F * F), 1e-20);
        light *= 1.0 + relief * (bend < 0.0 ? 1.0 : 0.6) * bend / (1.0 + abs(bend));
    }
    if (side < 0.0 && flat_shading < 0.5) {
        clay *= vec3(0.90, 0.92, 0.95); // the back of an open surface
    }
    float edge = 1.0 - facing;
    float rim = edge * edge * edge;
    vec3 shine = vec3(pow(max(key, 0.0), 24.0) * 0.06);
    if (glaze > 0) {
        vec3 mirrored = reflect(-toward, n);
        if (glaze == 1) {
            shine += vec3(pow(max(dot(mirrored, key_light), 0.0), 60.0) * 0.5 + pow(edge, 4.0) * 0.12);
        } else { // rows of lamps over the length of a room
            float row = mirrored.y * 6.0, wide = max(fwidth(row), 1e-4);
            float lit = clamp((0.25 - abs(fract(row) - 0.5)) / wide + 0.5, 0.0, 1.0);
            light *= mix(0.62, 1.22, mix(lit, 0.5, clamp(wide * 1.5 - 0.5, 0.0, 1.0)));
        }
    }
    pixel = vec4(clay * light * strength + rim * vec3(0.20, 0.15, 0.11) + shine, alpha);
}
