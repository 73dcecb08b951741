"""A trolley on four wheels: it drives, steers, and its inner wheel turns more."""

import gremio

build = gremio.Builder("Inspection trolley")
build.part("Trolley", gremio.shape(gremio.Box(1.6, 0.8, 0.15), at=(0, 0, 0.4), paint="#B08A57"),
           joint="planar")
wheels = []
for end, x in (("front", 0.6), ("rear", -0.6)):
    for side, y in (("left", 0.5), ("right", -0.5)):
        wheels.append(f"Wheel, {end} {side}")
        build.part(wheels[-1], gremio.shape(gremio.Cylinder(0.5, 0.1), turned=("90 deg", 0, 0)),
                   on="Trolley", at=(x, y, 0.25), joint="wheel" if end == "front" else "spin y")
rig = gremio.carriage(build.rig, "Trolley", wheels, wheels[:2])
travel, steering = [c.name for c in rig.controls.values()][:2]
gremio.picture(gremio.solve(rig, {travel: "2 m", steering: "25 deg"}), "09_trolley.png")
