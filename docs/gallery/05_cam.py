"""One motion after another from one slider: the bolt is drawn, then the lid opens."""

import gremio

build = gremio.Builder("Stores chest")
build.part("Chest", gremio.shape(gremio.Box(1, 0.6, 0.5), at=(0, 0, 0.25)))
build.part("Lid", gremio.shape(gremio.Box(1, 0.6, 0.05), at=(0, -0.3, 0.025), paint="#B08A57"),
           on="Chest", at=(0, 0.3, 0.5), joint="hinge x")
build.part("Bolt", gremio.shape(gremio.Box(0.05, 0.05, 0.2), paint="#8A7A3C"), on="Chest",
           at=(0, -0.33, 0.45), joint="slide z")
build.control("Open", 0, 1, kind="number", unit="%")
build.cam("Open", {0: {"Bolt": 0, "Lid": 0}, 0.4: {"Bolt": "-120 mm", "Lid": 0},
                   1: {"Bolt": "-120 mm", "Lid": "-95 deg"}})
gremio.picture(gremio.solve(build.rig, {"Open": 0.75}), "05_cam.png")
