#version 330
in vec2 corner;
out vec2 place;

void main() {
    place = corner * 0.5 + 0.5;
    gl_Position = vec4(corner, 0.0, 1.0);
}
