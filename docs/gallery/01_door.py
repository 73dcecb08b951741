"""A door on its hinge, with stops, led by one slider."""

import gremio

build = gremio.Builder("Lock hut door")
build.part("Frame", gremio.shape(gremio.Box(1.2, 0.12, 0.1), at=(0.5, 0, 2.05)))
build.part("Door", gremio.shape(gremio.Box(0.9, 0.05, 2.0), at=(0.45, 0, 1.0), paint="#B08A57"),
           on="Frame", joint="hinge z", stops=("-110 deg", "0 deg"))
build.control("Open", "0 deg", "110 deg")
build.ratio("Open", "Door", -1)
gremio.picture(gremio.solve(build.rig, {"Open": "35 deg"}), "01_door.png")
