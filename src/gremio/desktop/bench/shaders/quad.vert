#version 330
// A corner of a line that is several pixels wide.
in vec4 corner;
in float along;
// How far along the line a place is, in pixels.
noperspective out float along_line;

void main() {
    along_line = along;
    gl_Position = corner;
}
