#version 330
uniform sampler2D large;
in vec2 place;
out vec4 pixel;

void main() {
    pixel = texture(large, place);
}
