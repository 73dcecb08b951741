#version 330
in float lit;
flat in vec3 colour;
out vec4 ink;

void main() {
    ink = vec4(colour * (0.94 + (gl_FrontFacing ? lit : -lit)), 1.0);
}
