#version 330
// A segment between its neighbours as a ribbon that faces the viewer, mitred where it turns.
layout(lines_adjacency) in;
layout(triangle_strip, max_vertices = 4) out;
uniform vec2 pixels;       // of the picture
uniform float scale;       // pixels of 1 cm at w = 1
uniform float least;       // pixels that any line is wide
uniform float toward;
in float wide[];
in float tinted[];
out float shade;

vec2 place(int i) { return gl_in[i].gl_Position.xy / gl_in[i].gl_Position.w * pixels * 0.5; }

vec2 turned(vec2 v) { return vec2(-v.y, v.x); }

vec2 side(vec2 before, vec2 after) {
    vec2 both = before + after;
    float size = length(both);
    if (size < 1e-3) return turned(after);
    vec2 across = turned(both / size);
    return across / max(dot(across, turned(after)), 0.4);
}

vec2 along(int a, int b, vec2 otherwise) {
    vec2 d = place(b) - place(a);
    float size = length(d);
    return size > 1e-4 ? d / size : otherwise;
}

void put(int i, vec2 across) {
    vec4 at = gl_in[i].gl_Position;
    float half_width = 0.5 * max(wide[i] * scale / at.w, least);
    vec2 shift = across * half_width / (pixels * 0.5) * at.w;
    shade = tinted[i];
    for (int s = -1; s <= 1; s += 2) {
        gl_Position = vec4(at.xy + float(s) * shift, at.z - toward * at.w, at.w);
        EmitVertex();
    }
}

void main() {
    if (gl_in[1].gl_Position.w <= 1e-4 || gl_in[2].gl_Position.w <= 1e-4) return;
    vec2 here = along(1, 2, vec2(1.0, 0.0));
    vec2 before = gl_in[0].gl_Position.w > 1e-4 ? along(0, 1, here) : here;
    vec2 after = gl_in[3].gl_Position.w > 1e-4 ? along(2, 3, here) : here;
    put(1, side(before, here));
    put(2, side(here, after));
    EndPrimitive();
}
