#version 330
uniform vec3 colour;
out vec4 ink;

void main() {
    ink = vec4(colour, 1.0);
}
