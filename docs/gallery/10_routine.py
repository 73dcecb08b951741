"""Two gates over time: a routine of keys, solved for all its frames."""

import gremio

build = gremio.Builder("Boat through")
for name, x in (("Lower gate", -4), ("Upper gate", 4)):
    build.part(name, gremio.shape(gremio.Box(0.2, 3, 2), at=(0, 1.5, 1), paint="#7A8B84"),
               at=(x, 0, 0), joint="hinge z")
    build.control(f"{name} open", "0 deg", "75 deg")
    build.ratio(f"{name} open", name, 1)
build.part("Boat", gremio.shape(gremio.Box(3, 1, 0.6), at=(0, 1.5, 0.3), paint="#B08A57"),
           joint="slide x")
rig = gremio.routine(build.rig, "Through", "8 s", rate=25)
for time, values in (("0 s", {"Lower gate open": "75 deg", "Upper gate open": 0, "Boat": "-7 m"}),
                     ("3 s", {"Lower gate open": "75 deg", "Boat": 0}),
                     ("4 s", {"Lower gate open": 0, "Upper gate open": 0, "Boat": 0}),
                     ("5 s", {"Upper gate open": "75 deg", "Boat": 0}),
                     ("8 s", {"Boat": "7 m"})):
    rig = gremio.key(rig, time, values)
frames = gremio.bake(rig, "Through")
print(len(frames), "frames; the boat goes at most", abs(frames.velocity("Boat")).max(), "m/s")
gremio.picture(gremio.at_time(rig, "6 s"), "10_routine.png")
