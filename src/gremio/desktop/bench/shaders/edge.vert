#version 330
// An edge is drawn where it is sharp, or where the surface turns away from the eye.
uniform mat4 view_projection;
uniform vec3 eye;
// 1: only what is selected, where it is hidden.
uniform float hidden;
in vec3 position;
in vec3 normal_one;
in vec3 normal_two;
in float sharp;
in vec4 row_x;
in vec4 row_y;
in vec4 row_z;
in float weight;
in float state;
out float width;

vec3 turned(vec3 v) {
    return vec3(dot(row_x.xyz, v), dot(row_y.xyz, v), dot(row_z.xyz, v));
}

void main() {
    vec4 p = vec4(position, 1.0);
    vec3 world = vec3(dot(row_x, p), dot(row_y, p), dot(row_z, p));
    vec3 sight = eye - world;
    bool outline = dot(turned(normal_one), sight) * dot(turned(normal_two), sight) < 0.0;
    width = (sharp > 0.5 || outline) ? weight : 0.0;
    if (hidden > 0.5) width = state > 1.5 ? min(width, 1.0) : 0.0;
    gl_Position = view_projection * vec4(world, 1.0);
}
