#version 330
// A line as a narrow quad, so that its width does not depend on the driver.
layout(lines) in;
layout(triangle_strip, max_vertices = 4) out;
uniform vec2 pixels;
in float width[];
// How far along the line a place is, in pixels.
noperspective out float along_line;

void main() {
    if (width[0] <= 0.0) return;
    vec4 a = gl_in[0].gl_Position;
    vec4 b = gl_in[1].gl_Position;
    float near = 0.001;
    if (a.w < near && b.w < near) return;
    if (a.w < near) a = mix(b, a, (b.w - near) / (b.w - a.w));
    if (b.w < near) b = mix(a, b, (a.w - near) / (a.w - b.w));
    vec2 along = (b.xy / b.w - a.xy / a.w) * pixels;
    float reach = length(along);
    along = reach > 1e-6 ? along / reach : vec2(1.0, 0.0);
    // The short edges of fine teeth are drawn finer, so that they don't clot.
    float wide = width[0] * clamp(reach / 7.0, 0.3, 1.0);
    vec2 aside = vec2(-along.y, along.x) * wide / pixels;
    vec2 ahead = along * 0.5 * wide / pixels;
    float closer = 0.00003;
    along_line = 0.0;
    gl_Position = vec4(a.xy + (-ahead + aside) * a.w, a.z - closer * a.w, a.w); EmitVertex();
    along_line = 0.0;
    gl_Position = vec4(a.xy + (-ahead - aside) * a.w, a.z - closer * a.w, a.w); EmitVertex();
    along_line = reach;
    gl_Position = vec4(b.xy + (ahead + aside) * b.w, b.z - closer * b.w, b.w); EmitVertex();
    along_line = reach;
    gl_Position = vec4(b.xy + (ahead - aside) * b.w, b.z - closer * b.w, b.w); EmitVertex();
    EndPrimitive();
}
