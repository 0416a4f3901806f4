#version 330
uniform mat4 model;
uniform mat4 view_projection;
in vec3 position;
in vec3 normal;
out vec3 world;
out vec3 turned;
#ifndef PLAIN
in float tint;
in vec2 coordinate;
out float amount;
out vec2 laid;
#endif

void main() {
    vec4 at = model * vec4(position, 1.0);
    world = at.xyz;
    turned = mat3(model) * normal;
#ifndef PLAIN
    amount = tint;
    laid = coordinate;
#endif
    gl_Position = view_projection * at;
}
