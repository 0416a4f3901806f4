#version 330
uniform vec4 colour;
uniform vec4 chosen_colour;
in float chosen;
out vec4 pixel;

void main() {
    vec4 shown = chosen > 0.5 ? chosen_colour : colour;
    if (shown.a <= 0.0) discard;
    pixel = shown;
}
