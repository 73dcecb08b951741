#version 330
// The ground's ruling fades toward its rim.
uniform vec3 colour;
uniform vec3 paper;
uniform vec2 middle;
uniform float reach;
// How dark the ruling is in the middle.
uniform float strength;
in vec2 place;
out vec4 ink;

void main() {
    float fade = smoothstep(1.0, 0.35, length(place - middle) / reach);
    ink = vec4(mix(paper, colour, fade * strength), 1.0);
}
