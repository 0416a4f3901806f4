#version 330
// How dark the ground is below what was drawn from beneath: the nearer to it the darker, soft all around. In two passes, one across
// from depths and one down from what that found.
uniform sampler2D found;
uniform vec2 along; // of the picture: how far to a side
uniform float level; // the depth of the ground
uniform float per_cm; // by how much it grows for each cm above that
uniform float fade; // cm up to which something darkens; 0 where darkness is what was found
in vec2 place;
out vec4 pixel;

const int SIDE = 9;

float dark(vec2 at) {
    float value = texture(found, at).r;
    if (fade == 0.0) {
        return value;
    }
    float near = value < 1.0 ? clamp(1.0 - abs(value - level) / (per_cm * fade), 0.0, 1.0) : 0.0;
    return near * near;
}

void main() {
    float sum = 0.0, all = 0.0;
    for (int tap = -SIDE; tap <= SIDE; tap++) {
        float part = float(tap) / float(SIDE), counts = exp(-3.0 * part * part);
        sum += counts * dark(place + along * part);
        all += counts;
    }
    pixel = vec4(sum / all);
}
