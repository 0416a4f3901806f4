#version 330
uniform sampler2D image;
uniform vec4 rectangle;  // left, top, width, height
uniform float opacity;
in vec2 place;
out vec4 pixel;

void main() {
    vec2 at = (place - rectangle.xy) / rectangle.zw;
    vec4 colour = texture(image, clamp(at, 0.0, 1.0));
    if (any(lessThan(at, vec2(0.0))) || any(greaterThan(at, vec2(1.0)))) {
        discard;
    }
    pixel = vec4(colour.rgb, colour.a * opacity);
}
