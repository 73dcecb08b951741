"""A train of four gears that drives a rack: each is placed tooth in space."""

import gremio

build = gremio.Builder("Windlass")
build.part("Bed", gremio.shape(gremio.Box(1.4, 0.6, 0.02), at=(0.5, -0.1, -0.05)))
for name, teeth, at in (("Crank gear", 18, (0, 0, 0)), ("Idler", 24, (0.3, 0, 0)),
                        ("Shaft gear", 36, (0.5, 0.1, 0)), ("Rack pinion", 20, (0.8, 0, 0))):
    build.part(name, gremio.SpurGear(0.01, teeth, 0.04, 0.03), on="Bed", joint="spin z",
               at=at)
build.part("Rack", gremio.RackBar(0.01, 24, 0.04, 0.04), on="Bed", joint="slide x",
           at=(0.8, -0.2, 0))
build.control("Crank", "-1 turn", "1 turn", unit="turn")
build.ratio("Crank", "Crank gear", 1)
rig = build.rig
for one, two in (("Crank gear", "Idler"), ("Idler", "Shaft gear"), ("Shaft gear", "Rack pinion"),
                 ("Rack pinion", "Rack")):
    rig = gremio.mesh(rig, one, two)
poses = gremio.sweep(rig, "Crank", 5)
print(poses.to_csv("Crank", "Rack", shown=True))
gremio.picture(gremio.solve(rig, {"Crank": "0.2 turn"}), "02_gear_train.png")
