#version 330
uniform mat4 view_projection;
in vec3 position;
in vec3 normal;
in vec2 laid;
in vec4 tint;
in vec4 row_x;
in vec4 row_y;
in vec4 row_z;
in float state;
out vec3 world_normal;
out vec2 place;
out vec4 multiplied;
flat out float shown_state;

void main() {
    vec4 p = vec4(position, 1.0);
    vec3 world = vec3(dot(row_x, p), dot(row_y, p), dot(row_z, p));
    world_normal = vec3(dot(row_x.xyz, normal), dot(row_y.xyz, normal), dot(row_z.xyz, normal));
    place = laid;
    multiplied = tint;
    shown_state = state;
    gl_Position = view_projection * vec4(world, 1.0);
}
