#version 330
// One triangle over all of the picture.
void main() {
    vec2 at = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
    gl_Position = vec4(at, 0.0, 1.0);
}
