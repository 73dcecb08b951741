#version 330
// What is selected is hatched on the slant, as wide on the screen however near one looks; what a
// hand is over is washed. Laid over what is drawn already.
uniform vec3 hand;
uniform float scale;
flat in float shown_state;
out vec4 ink;

void main() {
    if (shown_state < 0.5) discard;
    float across = mod((gl_FragCoord.x + gl_FragCoord.y) / scale, 7.0);
    float line = 1.0 - smoothstep(0.7, 1.5, abs(across - 3.5));
    ink = vec4(hand, shown_state < 1.5 ? 0.16 : 0.72 * line);
}
