#version 330
// Matt paint as on a printed drawing: the top lightest, each side its own quiet tone.
uniform vec3 paper;
uniform float toned_down;
uniform vec3 hand;
uniform float scale;
in vec3 world_normal;
flat in vec3 colour;
flat in float shown_state;
out vec4 ink;

// What is selected is hatched on the slant, as wide on the screen however near one looks; what a
// hand is over is washed.
vec3 marked(vec3 painted) {
    if (shown_state < 0.5) return painted;
    if (shown_state < 1.5) return mix(painted, hand, 0.16);
    float across = mod((gl_FragCoord.x + gl_FragCoord.y) / scale, 7.0);
    float line = 1.0 - smoothstep(0.7, 1.5, abs(across - 3.5));
    return mix(painted, hand, 0.72 * line);
}

void main() {
    vec3 n = normalize(world_normal);
    if (!gl_FrontFacing) n = -n;
    float tone = 0.94 + 0.09 * n.z - 0.035 * n.y + 0.05 * n.x;
    vec3 flat_paint = mix(colour, paper, toned_down);
    ink = vec4(marked(clamp(flat_paint * tone, 0.0, 1.0)), 1.0);
}
