"""A gate and its twin on the other side: one slider, and each turns as the mirror has it."""

import gremio

build = gremio.Builder("Upper gates")
build.part("Sill", gremio.shape(gremio.Box(1, 6, 0.3), at=(0, 0, -0.15)))
build.part("Gate, left", gremio.shape(gremio.Box(0.25, 3.1, 3), at=(0, -1.55, 1.5),
           paint="#7A8B84"), on="Sill", at=(0, 3, 0), joint="hinge z", turned=(0, 0, "-18 deg"))
build.part("Balance beam, left", gremio.shape(gremio.Box(0.3, 5, 0.3), at=(0, 0.3, 3.1),
           paint="#B08A57"), on="Gate, left")
build.control("Open", "0 deg", "70 deg")
build.ratio("Open", "Gate, left", 1)
rig = gremio.mirror(build.rig, "Gate, left", of="Sill")
pose = gremio.solve(rig, {"Open": "40 deg"})
print(pose.value("Gate, left"), pose.value("Gate, right"))
gremio.picture(pose, "04_mitre_gates.png")
