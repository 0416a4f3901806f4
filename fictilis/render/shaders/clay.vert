#version 330
uniform mat4 model;
uniform mat4 view_projection;
in vec3 position;
in vec3 normal;
in float tint;
out vec3 world;
out vec3 turned;
out float amount;

void main() {
    vec4 at = model * vec4(position, 1.0);
    world = at.xyz;
    turned = mat3(model) * normal;
    amount = tint;
    gl_Position = view_projection * at;
}
