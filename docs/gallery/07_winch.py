"""A winch by a formula with units, and the rope that it winds up."""

import gremio

build = gremio.Builder("Quay winch")
build.part("Jib", gremio.shape(gremio.Box(3, 0.2, 0.2), at=(1.5, 0, 3)))
build.part("Drum", gremio.shape(gremio.Cylinder(0.4, 0.5), turned=("90 deg", 0, 0)), on="Jib",
           at=(0.2, 0, 2.6), joint="spin y")
build.part("Grab", gremio.shape(gremio.Box(0.5, 0.5, 0.5), at=(0, 0, -0.25), paint="#8A7A3C"),
           on="Jib", at=(2.8, 0, 0.6), joint="slide z")
build.control("Wind", "0 turn", "1.5 turn", unit="turn")
build.ratio("Wind", "Drum", 1)
rig = gremio.formula(build.rig, "Grab", "Drum.turn * 0.2 m / 1 rad")
rig = gremio.strand(rig, "rope", ("Drum", (0, 0, 0)), ("Jib", (2.8, 0, 2.9)), ("Grab", (0, 0, 0)))
gremio.picture(gremio.solve(rig, {"Wind": "0.8 turn"}), "07_winch.png")
