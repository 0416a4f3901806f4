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
    float depth = texture(depths, place).r;
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
    pixel = vec4(vec3(1.0 - strength * sum / count), 1.0);
}
