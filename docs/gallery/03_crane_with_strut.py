"""A jib that a telescopic strut holds; how far it reaches is told by the machine."""

import gremio

build = gremio.Builder("Quay crane")
build.part("Mast", gremio.shape(gremio.Box(0.4, 0.4, 3), at=(0, 0, 1.5)))
build.part("Jib", gremio.shape(gremio.Box(4, 0.25, 0.25), at=(2, 0, 0), paint="#B08A57"),
           on="Mast", at=(0.2, 0, 3), joint="hinge y", stops=("-60 deg", "10 deg"))
build.control("Luff", "-10 deg", "60 deg")
build.ratio("Luff", "Jib", -1)
rig = gremio.strut(build.rig, "Mast", "Jib", (0.2, 0, 0.8), (1.6, 0, -0.12))
for finding in gremio.inspect(rig):
    print(finding.note.text)
gremio.picture(gremio.solve(rig, {"Luff": "35 deg"}), "03_crane_with_strut.png")
