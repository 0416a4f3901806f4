#version 330
// What is left of a picture's light under the shade, which has fewer pixels: from those of them at the same depth.
uniform sampler2D shade;
uniform sampler2D depths;
uniform vec2 deep;
uniform float parallel_view;
uniform float reach;
uniform float strength;
in vec2 place;
out vec4 pixel;

void main() {
    float depth = 1.0, covered = 0.0; // of the four pixels that this one is shrunk from, where it is
    vec2 around = 0.5 / vec2(textureSize(depths, 0));
    for (int corner = 0; corner < 4; corner++) {
        float found = texture(depths, place + around * vec2(corner % 2 * 2 - 1, corner / 2 * 2 - 1)).r;
        depth = min(depth, found);
        covered += found < 1.0 ? 0.25 : 0.0;
    }
    if (depth >= 1.0) {
        discard;
    }
    float z = depth * 2.0 - 1.0;
    float away = parallel_view > 0.5 ? -(z - deep.y) / deep.x : deep.y / (z + deep.x);
    vec2 at = place * vec2(textureSize(shade, 0)) - 0.5, part = fract(at);
    ivec2 first = ivec2(floor(at)), last = textureSize(shade, 0) - 1;
    float sum = 0.0, count = 0.0;
    for (int y = 0; y < 2; y++) {
        for (int x = 0; x < 2; x++) {
            vec2 found = texelFetch(shade, clamp(first + ivec2(x, y), ivec2(0), last), 0).rg;
            float counts = (x == 0 ? 1.0 - part.x : part.x) * (y == 0 ? 1.0 - part.y : part.y) + 1e-4;
            counts *= abs(found.g - away) < reach * 0.3 ? 1.0 : 1e-4;
            sum += counts * found.r;
            count += counts;
        }
    }
    pixel = vec4(vec3(1.0 - strength * covered * sum / count), 1.0);
}
