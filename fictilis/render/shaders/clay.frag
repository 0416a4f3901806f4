#version 330
// Clay: a warm key light from the upper left of the viewer, a cool fill from below, a soft rim. PLAIN has neither tint nor cloth.
uniform vec3 colour;
uniform float strength;
uniform vec3 key_light;
uniform vec3 eye;
uniform vec3 back;
uniform float parallel_view;
uniform float flat_shading;
uniform float alpha;
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
    vec3 n = flat_shading > 0.5 ? cross(dFdx(world), dFdy(world)) : turned;
    n = normalize(n + vec3(1e-9));
    float facing = dot(n, toward);
    n *= facing < 0.0 ? -1.0 : 1.0;
    facing = abs(facing);
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
    float edge = 1.0 - facing;
    float rim = edge * edge * edge;
    vec3 shine = vec3(pow(max(key, 0.0), 24.0) * 0.06);
    pixel = vec4(clay * light * strength + rim * vec3(0.20, 0.15, 0.11) + shine, alpha);
}
