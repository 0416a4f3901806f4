#version 330
// How much of the light from all around is kept off by what stands near, in 0…1, and how far away the pixel is.
// Source: Jimenez, Wu, Pesce, Jarabo, Practical Real-Time Strategies for Accurate Indirect Occlusion (2016), sections 4 and 5.
uniform sampler2D depths;
uniform vec2 scale; // the projection's first two diagonal terms
uniform vec2 deep; // and those that make depths
uniform float parallel_view;
uniform float reach; // cm
uniform vec2 size; // pixels of this picture
uniform vec4 part; // of the picture that was drawn: left, top, right, bottom; the depths around it are of another one
in vec2 place;
out vec4 pixel;

const float PI = 3.14159265;
const int SLICES = 2, STEPS = 4;
const float WIDEST = 60.0; // pixels looked over to a side
const float NOISE[16] = float[](0.0, 8.0, 2.0, 10.0, 12.0, 4.0, 14.0, 6.0, 3.0, 11.0, 1.0, 9.0, 15.0, 7.0, 13.0, 5.0);

vec3 seen(vec2 at, float depth) {
    vec2 centred = at * 2.0 - 1.0;
    float z = depth * 2.0 - 1.0;
    if (parallel_view > 0.5) {
        return vec3(centred / scale, (z - deep.y) / deep.x);
    }
    float w = deep.y / (z + deep.x);
    return vec3(centred / scale * w, -w);
}

vec2 middle(vec2 at) { // of the pixel of the depths that a place lies in
    vec2 pixels = vec2(textureSize(depths, 0));
    return (floor(at * pixels) + 0.5) / pixels;
}

vec3 seen(vec2 at) {
    at = middle(at);
    return seen(at, texture(depths, at).r);
}

vec3 shorter(vec3 before, vec3 here, vec3 after) { // not over an edge
    return abs(here.z - before.z) < abs(after.z - here.z) ? here - before : after - here;
}

void main() {
    // this pixel's middle lies between pixels of the depths, where rounding would choose now one and now the other
    vec2 next = 1.0 / vec2(textureSize(depths, 0)), right = vec2(next.x, 0.0), down = vec2(0.0, next.y);
    vec2 there = middle(place + 0.25 * next);
    float depth = texture(depths, there).r;
    if (depth >= 1.0) {
        pixel = vec4(0.0, 1e9, 0.0, 1.0);
        return;
    }
    vec3 here = seen(there, depth);
    vec3 toward = parallel_view > 0.5 ? vec3(0.0, 0.0, 1.0) : normalize(-here);
    vec3 normal = normalize(cross(shorter(seen(there - right), here, seen(there + right)),
                                  shorter(seen(there - down), here, seen(there + down))));
    normal *= dot(normal, toward) < 0.0 ? -1.0 : 1.0;
    vec2 wide = abs(reach * scale * 0.5 / (parallel_view > 0.5 ? 1.0 : -here.z)); // of the picture
    wide *= min(1.0, WIDEST / (wide.y * size.y));
    ivec2 tile = ivec2(gl_FragCoord.xy) & 3;
    float noise = NOISE[tile.y * 4 + tile.x] / 16.0, other = NOISE[tile.x * 4 + (3 - tile.y)] / 16.0;
    float open = 0.0;
    for (int slice = 0; slice < SLICES; slice++) {
        float turn = (float(slice) + noise) * PI / float(SLICES);
        vec3 along = vec3(cos(turn), sin(turn), 0.0);
        vec3 axis = normalize(cross(along, toward));
        vec3 flat_normal = normal - axis * dot(normal, axis);
        float share = max(length(flat_normal), 1e-5);
        float lean = sign(dot(along - toward * dot(along, toward), flat_normal))
                   * acos(clamp(dot(flat_normal, toward) / share, -1.0, 1.0));
        for (int side = -1; side <= 1; side += 2) {
            float highest = -1.0, last = 0.0; // the cosine of the horizon, and how far away the sample before was
            vec3 before = vec3(0.0);
            for (int j = 0; j < STEPS; j++) {
                float far = (float(j) + 0.1 + 0.9 * other) / float(STEPS);
                vec2 at = there + float(side) * along.xy * (wide * far * sqrt(far) + 1.0 / size);
                if (at != clamp(at, part.xy, part.zw)) {
                    break;
                }
                vec3 way = seen(at) - here;
                float distance = length(way);
                if (distance > reach && distance < 1.5 * reach && last < reach) { // up to where the surface leaves the reach
                    way = mix(before, way, (reach - last) / (distance - last));
                    highest = max(highest, dot(way, toward) / length(way));
                } else if (distance < reach && distance > 0.0) {
                    highest = max(highest, dot(way, toward) / distance);
                }
                before = way;
                last = distance;
            }
            float horizon = float(side) * acos(clamp(highest, -1.0, 1.0));
            horizon = lean + clamp(horizon - lean, -PI / 2.0, PI / 2.0);
            open += share * (cos(lean) + 2.0 * horizon * sin(lean) - cos(2.0 * horizon - lean)) / 4.0;
        }
    }
    pixel = vec4(clamp(1.0 - open / float(SLICES), 0.0, 1.0), -here.z, 0.0, 1.0);
}
