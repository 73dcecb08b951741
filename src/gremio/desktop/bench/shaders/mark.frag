#version 330
flat in uint part_mark;
out uint mark_out;

void main() {
    mark_out = part_mark;
}
