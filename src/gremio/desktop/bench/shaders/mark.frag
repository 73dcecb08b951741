#version 330
flat in vec3 colour;
flat in uint part_mark;
in vec3 world_normal;
out uint mark_out;

void main() {
    mark_out = part_mark;
}
