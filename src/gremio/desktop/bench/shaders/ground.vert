#version 330
uniform mat4 view_projection;
in vec2 position;
out vec2 place;

void main() {
    place = position;
    gl_Position = view_projection * vec4(position, 0.0, 1.0);
}
