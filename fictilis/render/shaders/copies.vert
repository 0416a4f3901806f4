#version 330
// Copies of one mesh: each has rows of a matrix and a pose, whose points and normals stand in textures.
uniform mat4 view_projection;
uniform sampler2D places;
uniform sampler2D facings;
uniform int count; // points of a pose
in int point;
in vec4 row_x;
in vec4 row_y;
in vec4 row_z;
in int pose;
out vec3 world;
out vec3 turned;
#ifndef PLAIN
in vec2 coordinate;
out float amount;
out vec2 laid;
#endif

void main() {
    int number = pose * count + point;
    int wide = textureSize(places, 0).x;
    ivec2 cell = ivec2(number % wide, number / wide);
    vec4 place = texelFetch(places, cell, 0);
    vec3 facing = texelFetch(facings, cell, 0).xyz;
    vec4 at = vec4(place.xyz, 1.0);
    world = vec3(dot(row_x, at), dot(row_y, at), dot(row_z, at));
    turned = vec3(dot(row_x.xyz, facing), dot(row_y.xyz, facing), dot(row_z.xyz, facing));
#ifndef PLAIN
    amount = place.w;
    laid = coordinate;
#endif
    gl_Position = view_projection * vec4(world, 1.0);
}
