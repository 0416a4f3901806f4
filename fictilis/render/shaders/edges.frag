#version 330
// Thin lines where a surface ends before another and where it has a crease, found from the depths of a picture.
// Source: Saito and Takahashi, Comprehensible Rendering of 3-D Shapes (SIGGRAPH 1990): depths are linear over a plane, so that
// their second differences are its outlines; here what lies in front wears the line, and creases are angles between normals.
uniform sampler2D depths;
uniform vec2 scale; // the projection's first two diagonal terms
uniform vec2 deep; // and those that make depths
uniform float parallel_view;
uniform float least; // cm that one surface stands before another
uniform int wide; // pixels to each side
uniform vec4 colour;
in vec2 place;
out vec4 pixel;

vec3 seen(ivec2 at) {
    ivec2 size = textureSize(depths, 0);
    float z = texelFetch(depths, clamp(at, ivec2(0), size - 1), 0).r * 2.0 - 1.0;
    vec2 centred = (vec2(at) + 0.5) / vec2(size) * 2.0 - 1.0;
    if (parallel_view > 0.5) {
        return vec3(centred / scale, (z - deep.y) / deep.x);
    }
    float w = deep.y / (z + deep.x);
    return vec3(centred / scale * w, -w);
}

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy), right = ivec2(wide, 0), down = ivec2(0, wide);
    if (texelFetch(depths, here, 0).r >= 1.0) {
        discard;
    }
    vec3 middle = seen(here), west = seen(here - right), east = seen(here + right), north = seen(here - down),
         south = seen(here + down);
    // where it goes on behind: how much farther that is than the plane through here and the other side
    vec2 before = vec2(2.0 * middle.z - east.z - west.z, 2.0 * middle.z - north.z - south.z);
    float ends = smoothstep(least, 2.0 * least, max(before.x, before.y));
    float bends = 0.0;
    if (ends < 1.0 && max(abs(before.x), abs(before.y)) < least) {
        vec3 first = normalize(cross(middle - west, middle - north)), last = normalize(cross(east - middle, south - middle));
        vec3 other = normalize(cross(east - middle, middle - north)), fourth = normalize(cross(middle - west, south - middle));
        float turn = min(min(dot(first, last), dot(other, fourth)), min(dot(first, other), dot(first, fourth)));
        bends = 1.0 - smoothstep(0.72, 0.87, turn); // from 30 to 44 degrees
    }
    pixel = vec4(colour.rgb, colour.a * max(ends, bends));
}
