#version 330
// The mean of the shade over the four by four pixels that look different ways, without those of another surface.
uniform sampler2D shade;
uniform float reach;
out vec4 pixel;

void main() {
    ivec2 here = ivec2(gl_FragCoord.xy), last = textureSize(shade, 0) - 1;
    float away = texelFetch(shade, here, 0).g, sum = 0.0, count = 0.0;
    for (int y = -2; y < 2; y++) {
        for (int x = -2; x < 2; x++) {
            vec2 found = texelFetch(shade, clamp(here + ivec2(x, y), ivec2(0), last), 0).rg;
            float counts = abs(found.g - away) < reach * 0.3 ? 1.0 : 0.0;
            sum += counts * found.r;
            count += counts;
        }
    }
    pixel = vec4(sum / max(count, 1.0), away, 0.0, 1.0);
}
