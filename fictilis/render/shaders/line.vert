#version 330
uniform mat4 model;
uniform mat4 view_projection;
in vec3 position;
in float width;
in float tint;
out float wide;
out float tinted;

void main() {
    gl_Position = view_projection * model * vec4(position, 1.0);
    wide = width;
    tinted = tint;
}
