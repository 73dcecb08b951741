"""A door kept as a kit, and put into a wall twice, each as wide as it is told."""

import gremio

build = gremio.Builder("Door")
build.part("Hinge", joint="hinge z", stops=("0 deg", "110 deg"))
build.part("Leaf", gremio.shape(gremio.Box(0.9, 0.05, 2), at=(0, 0, 1), paint="#B08A57"),
           on="Hinge", joint="slide x")
build.control("Width", "0.5 m", "2 m", home="0.9 m")
build.control("Open", "0 deg", "110 deg")
build.ratio("Open", "Hinge", 1)
door = gremio.formula(build.rig, "Leaf length", "Width")
door = gremio.formula(door, "Leaf move x", "Width / 2")
gremio.keep_kit(door, "Hinge", to="door.gremio", name="Door", ask=["Width"])

build = gremio.Builder("Lock hut")
build.part("Wall", gremio.shape(gremio.Box(5, 0.1, 2.4), at=(0, -0.1, 1.2)))
rig = build.rig
for at, width in ((-2.0, "0.8 m"), (0.4, "1.5 m")):
    rig = gremio.put_kit(rig, "door.gremio", on="Wall", at=(at, 0, 0), sizes={"Width": width})
gremio.picture(gremio.solve(rig, {"Open": "70 deg", "Open 2": "30 deg"}), "08_kit.png")
