"""A crank, a rod and a crosshead, closed by a pin: turn the crank and the rest follows."""

import gremio

build = gremio.Builder("Capstan engine")
build.part("Bed", gremio.shape(gremio.Box(1.6, 0.3, 0.1), at=(0.6, 0, -0.3)))
build.part("Crank", gremio.shape(gremio.Box(0.3, 0.05, 0.1), at=(0.1, -0.05, 0)), on="Bed",
           joint="spin y")
build.part("Rod", gremio.shape(gremio.Box(0.9, 0.05, 0.06), at=(0.45, 0, 0), paint="#B08A57"),
           on="Crank", at=(0.22, 0, 0), joint="hinge y")
build.part("Crosshead", gremio.shape(gremio.Box(0.16, 0.2, 0.14), paint="#8A7A3C"), on="Bed",
           at=(1.12, 0, 0), joint="slide x")
build.control("Turn", "0 turn", "2 turn", unit="turn")
build.ratio("Turn", "Crank", 1)
rig = gremio.pin(build.rig, "Rod", "Crosshead", (0.9, 0, 0), (0, 0, 0))
poses = gremio.sweep(rig, "Turn", 73)
print("stroke", poses["Crosshead"].max() - poses["Crosshead"].min())
gremio.picture(gremio.solve(rig, {"Turn": "0.2 turn"}), "06_slider_crank.png")
