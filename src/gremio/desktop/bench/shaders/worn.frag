#version 330
// As the matt paint, with the base colour of a material in its place.
uniform vec3 paper;
uniform float toned_down;
uniform float cutoff;
uniform float blends;
uniform bvec2 mirrors;
uniform sampler2D picture;
in float lit;
in vec2 place;
in vec4 multiplied;
out vec4 ink;

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
    float tone = 0.94 + (gl_FrontFacing ? lit : -lit);
    vec3 colour = shown_of(linear(seen.rgb) * multiplied.rgb);
    colour = mix(colour, paper, toned_down);
    ink = vec4(clamp(colour * tone, 0.0, 1.0), mix(1.0, opacity, blends));
}
