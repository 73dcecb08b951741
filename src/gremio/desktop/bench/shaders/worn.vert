#version 330
uniform mat4 view_projection;
in vec3 position;
in vec3 normal;
in vec2 laid;
in vec4 tint;
in vec4 row_x;
in vec4 row_y;
in vec4 row_z;
invariant gl_Position;
out float lit;
out vec2 place;
out vec4 multiplied;

void main() {
    vec4 p = vec4(position, 1.0);
    vec3 world = vec3(dot(row_x, p), dot(row_y, p), dot(row_z, p));
    vec3 n = vec3(dot(row_x.xyz, normal), dot(row_y.xyz, normal), dot(row_z.xyz, normal));
    lit = dot(normalize(n), vec3(0.05, -0.035, 0.09));
    place = laid;
    multiplied = tint;
    gl_Position = view_projection * vec4(world, 1.0);
}
