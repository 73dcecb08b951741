#version 330
uniform vec3 colour;
// 1: hidden lines, which are dashed.
uniform float hidden;
noperspective in float along_line;
out vec4 ink;

void main() {
    if (hidden > 0.5 && mod(along_line, 7.0) > 4.0) discard;
    ink = vec4(colour, 1.0);
}
