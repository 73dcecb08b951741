#version 330
// A line of the drawing, a little before the surface that it belongs to.
uniform mat4 view_projection;
in vec3 position;
in float along;
// How far along the line a place is, in pixels.
noperspective out float along_line;

void main() {
    vec4 at = view_projection * vec4(position, 1.0);
    along_line = along;
    gl_Position = vec4(at.xy, at.z - 0.00003 * at.w, at.w);
}
