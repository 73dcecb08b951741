#version 330
// Matt paint as on a printed drawing: the top lightest, each side its own quiet tone.
uniform vec3 paper;
uniform float toned_down;
in vec3 world_normal;
flat in vec3 colour;
out vec4 ink;

void main() {
    vec3 n = normalize(world_normal);
    if (!gl_FrontFacing) n = -n;
    float tone = 0.94 + 0.09 * n.z - 0.035 * n.y + 0.05 * n.x;
    vec3 flat_paint = mix(colour, paper, toned_down);
    ink = vec4(clamp(flat_paint * tone, 0.0, 1.0), 1.0);
}
