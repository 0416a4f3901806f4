#version 330
uniform mat4 view_projection;
uniform float height;
uniform vec2 middle;
uniform float reach;
in vec2 corner;
out vec2 place;

void main() {
    place = middle + corner * reach;
    gl_Position = view_projection * vec4(place.x, height, place.y, 1.0);
}
