#version 330
// Matt paint as on a printed drawing: the top lightest, each side its own quiet tone.
uniform mat4 view_projection;
uniform vec3 paper;
uniform float toned_down;
in vec3 position;
in vec3 normal;
in vec4 row_x;
in vec4 row_y;
in vec4 row_z;
in float state;
in vec3 paint;
in uint mark;
invariant gl_Position;
// How much lighter a side is for the way it is turned; darker, seen from behind.
out float lit;
flat out vec3 colour;
flat out uint part_mark;
flat out float shown_state;

void main() {
    vec4 p = vec4(position, 1.0);
    vec3 world = vec3(dot(row_x, p), dot(row_y, p), dot(row_z, p));
    vec3 n = vec3(dot(row_x.xyz, normal), dot(row_y.xyz, normal), dot(row_z.xyz, normal));
    lit = dot(normalize(n), vec3(0.05, -0.035, 0.09));
    colour = mix(paint, paper, toned_down);
    part_mark = mark;
    shown_state = state;
    gl_Position = view_projection * vec4(world, 1.0);
}
