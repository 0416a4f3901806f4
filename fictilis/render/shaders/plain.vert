#version 330
uniform mat4 model;
uniform mat4 view_projection;
uniform float toward;
uniform float size;
in vec3 position;
in float mark;
out float chosen;

void main() {
    gl_Position = view_projection * model * vec4(position, 1.0);
    gl_Position.z -= toward * gl_Position.w;
    gl_PointSize = mark > 0.5 ? size * 1.5 + 2.0 : size;
    chosen = mark;
}
