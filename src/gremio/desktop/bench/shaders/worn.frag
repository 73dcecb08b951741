#version 330
// As the matt paint, with the base colour of a material in its place.
uniform vec3 paper;
uniform float toned_down;
uniform vec3 hand;
uniform float scale;
uniform float cutoff;
uniform float blends;
uniform bvec2 mirrors;
uniform sampler2D picture;
in vec3 world_normal;
in vec2 place;
in vec4 multiplied;
flat in float shown_state;
out vec4 ink;

// What is selected is hatched on the slant, as wide on the screen however near one looks; what a
// hand is over is washed.
vec3 marked(vec3 painted) {
    if (shown_state < 0.5) return painted;
    if (shown_state < 1.5) return mix(painted, hand, 0.16);
    float across = mod((gl_FragCoord.x + gl_FragCoord.y) / scale, 7.0);
    float line = 1.0 - smoothstep(0.7, 1.5, abs(across - 3.5));
    return mix(painted, hand, 0.72 * line);
}

vec3 linear(vec3 shown) {
    return mix(shown / 12.92, pow((shown + 0.055) / 1.055, vec3(2.4)), step(0.04045, shown));
}

vec3 shown_of(vec3 light) {
    light = clamp(light, 0.0, 1.0);
    vec3 bright = 1.055 * pow(light, vec3(1.0 / 2.4)) - 0.055;
    return mix(light * 12.92, bright, step(0.0031308, light));
}

void main() {
    vec2 folded = 1.0 - abs(mod(place, 2.0) - 1.0);
    vec4 seen = texture(picture, mix(place, folded, vec2(mirrors)));
    float opacity = seen.a * multiplied.a;
    if (opacity < cutoff) discard;
    vec3 n = normalize(world_normal);
    if (!gl_FrontFacing) n = -n;
    float tone = 0.94 + 0.09 * n.z - 0.035 * n.y + 0.05 * n.x;
    vec3 colour = shown_of(linear(seen.rgb) * multiplied.rgb);
    colour = mix(colour, paper, toned_down);
    ink = vec4(marked(clamp(colour * tone, 0.0, 1.0)), mix(1.0, opacity, blends));
}
