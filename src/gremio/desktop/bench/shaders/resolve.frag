#version 330
// Each pixel is what four of a picture twice as large are together.
uniform sampler2D picture;
out vec4 ink;

void main() {
    ivec2 at = 2 * ivec2(gl_FragCoord.xy);
    vec4 low = texelFetch(picture, at, 0) + texelFetch(picture, at + ivec2(1, 0), 0);
    vec4 high = texelFetch(picture, at + ivec2(0, 1), 0) + texelFetch(picture, at + ivec2(1, 1), 0);
    ink = vec4(0.25 * (low + high).rgb, 1.0);
}
