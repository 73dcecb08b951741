"""An example of every function of the scripting face. Each is run, on the rig that is made first,
by the tests, and stands in the reference."""

# ruff: noqa: F821, I001, E402

# == the rig of the examples ==
import gremio

rig = gremio.Rig("Quay")
rig = gremio.part(rig, "Post", gremio.Box(0.2, 0.2, 2), at=(0, 0, 1))
rig = gremio.part(rig, "Gate", gremio.shape(gremio.Box(2, 0.1, 1), at=(1, 0, 0)), on="Post",
                  joint="hinge z", stops=("0 deg", "100 deg"))
rig = gremio.part(rig, "Bolt", gremio.Cylinder(0.05, 0.3), on="Gate", at=(1.8, 0, 0),
                  joint="slide x")
rig = gremio.control(rig, "Open", "0 deg", "90 deg")
rig = gremio.ratio(rig, "Open", "Gate", 1)
rig = gremio.part(rig, "Mast", gremio.Box(0.3, 0.3, 3), at=(4, 0, 1.5))
rig = gremio.part(rig, "Jib", gremio.shape(gremio.Box(3, 0.2, 0.2), at=(1.5, 0, 0)), on="Mast",
                  at=(0, 0, 1.5), joint="hinge y", stops=("-70 deg", "0 deg"))
rig = gremio.part(rig, "Hook", gremio.Ball(0.2), on="Jib", at=(2.8, 0, -0.6), joint="free")
rig = gremio.part(rig, "Pinion", gremio.SpurGear(0.01, 18, 0.04), at=(0, 3, 0), joint="spin z")
rig = gremio.part(rig, "Wheel", gremio.SpurGear(0.01, 36, 0.04), at=(0.5, 3, 0), joint="spin z")

# == load ==
gremio.save(rig, "quay.gremio")
again = gremio.load("quay.gremio")

# == save ==
gremio.save(rig, "quay.gremio")

# == bring_in ==
gremio.export(rig, "quay.glb")
brought = gremio.bring_in(gremio.Rig("From a model"), "quay.glb", on_ground=True)

# == export ==
notes = gremio.export(rig, "gate.glb", control="Open", seconds=2)

# == put ==
ajar = gremio.put(rig, {"Open": "20 deg", "Bolt move x": "10 mm", "Gate length": "2.2 m"})

# == rename ==
rig = gremio.rename(rig, "Gate", "Leaf")

# == remove ==
rig = gremio.remove(rig, "Hook")

# == write_note ==
rig = gremio.write_note(rig, "Gate", "Hung anew in the spring.")

# == part ==
rig = gremio.part(rig, "Knob", gremio.Ball(0.1), on="Gate", at=("1.9 m", 0, 0), joint="spin x")

# == control ==
rig = gremio.control(rig, "Hoist", "0 m", "2 m", group="Crane", make="lever")

# == place ==
rig = gremio.place(rig, "Post", at=("1 m", 0, "1 m"), turned=(0, 0, "15 deg"))

# == mount_on ==
rig = gremio.mount_on(rig, "Hook", "Mast")

# == set_joint ==
rig = gremio.set_joint(rig, "Bolt", "screw x 4 mm")

# == move_joint ==
rig = gremio.move_joint(rig, "Gate", at=(0, 0.05, 0), along=(0, 0, 1))

# == turn_round ==
rig = gremio.turn_round(rig, "Jib")

# == set_stops ==
rig = gremio.set_stops(rig, "Bolt move x", 0, "40 mm", soft="5 mm")

# == set_home ==
rig = gremio.set_home(gremio.put(rig, {"Jib": "-20 deg"}), "Jib")

# == take_scale_out ==
rig = gremio.take_scale_out(rig, "Gate")

# == put_on_ground ==
rig = gremio.put_on_ground(rig)

# == measure ==
rig = gremio.measure(rig, "Reach", ("Mast", (0, 0, 0)), ("Hook", (0, 0, 0)))
rig = gremio.formula(rig, "Wheel", "Reach * 1 rad / 1 m")

# == lock ==
rig = gremio.lock(rig)

# == shape ==
rig = gremio.part(rig, "Lamp", gremio.shape(gremio.Ball(0.2), at=(0, 0, "0.3 m"), paint="#B98518"))

# == ratio ==
rig = gremio.ratio(rig, "Gate", "Bolt", 0.01)

# == cam ==
rig = gremio.cam(rig, "Open", {0: {"Bolt": 0}, "30 deg": {"Bolt": "40 mm"}})

# == unlink ==
rig = gremio.unlink(rig, "Gate")

# == mesh ==
rig = gremio.mesh(rig, "Pinion", "Wheel")

# == join ==
rig = gremio.join(rig, "Pinion", "Wheel")

# == joint_from_copies ==
rig = gremio.part(rig, "Lid, shut", gremio.Box(1, 1, 0.05), at=(0, 5, 1))
rig = gremio.part(rig, "Lid, open", gremio.Box(1, 1, 0.05), at=(-0.5, 5, 1.5),
                  turned=(0, "-90 deg", 0))
rig = gremio.joint_from_copies(rig, "Lid, shut", "Lid, open")

# == roll ==
rig = gremio.part(rig, "Cart", joint="slide x", at=(0, 7, 0))
rig = gremio.part(rig, "Cart wheel", gremio.shape(gremio.Cylinder(0.5, 0.1),
                  turned=("90 deg", 0, 0)), on="Cart", at=(0, 0, 0.25), joint="spin y")
rig = gremio.roll(rig, "Cart wheel turn y", 0.25)

# == formula ==
rig = gremio.formula(rig, "Bolt", "Open * 20 mm / 1 rad")

# == teach ==
rig = gremio.teach(rig, "Open", 0, {"Bolt": 0})
rig = gremio.teach(rig, "Open", "45 deg", {"Bolt": "40 mm"})

# == lead_instead ==
rig = gremio.part(rig, "Crank", joint="spin y", at=(0, 9, 0), turned=(0, "-90 deg", 0))
rig = gremio.part(rig, "Rod", on="Crank", at=(0.2, 0, 0), turned=(0, "104 deg", 0),
                  joint="hinge y")
rig = gremio.part(rig, "Piston", joint="slide x", at=(0.77, 9, 0))
rig = gremio.pin(rig, "Rod", "Piston", (0.8, 0, 0))
rig = gremio.control(rig, "Turn", "-60 deg", "60 deg")
rig = gremio.ratio(rig, "Turn", "Crank", 1)
rig = gremio.lead_instead(rig, "Piston")

# == set_range ==
rig = gremio.set_range(rig, "Open", 0, "80 deg", keeps="proportion")

# == in_step ==
for name, y in (("Pile", 6), ("Rivet", 6.2)):
    rig = gremio.part(rig, name, gremio.Cylinder(0.1, 1), at=(0, y, 0.5),
                      repeat=gremio.Repeat(count=4, pitch=0.5))
rig = gremio.in_step(rig, "Pile", "Rivet")

# == midway ==
rig = gremio.part(rig, "Pile", gremio.Cylinder(0.1, 1), at=(0, 6, 0.5),
                  repeat=gremio.Repeat(count=4, pitch=0.5))
rig = gremio.part(rig, "Panel", gremio.Box(0.3, 0.05, 0.8), at=(0, 6, 0.5))
rig = gremio.midway(rig, "Pile", "Panel")

# == stops_where_it_touches ==
rig = gremio.part(rig, "Wall", gremio.Box(0.2, 2, 2), at=(0.3, 1.2, 1))
rig = gremio.stops_where_it_touches(rig, "Gate turn z", against=["Wall"])

# == pin ==
rig = gremio.part(rig, "Rod", gremio.Box(1, 0.05, 0.05), on="Mast", joint="ball")
rig = gremio.pin(rig, "Rod", "Jib", (1, 0, 0), (1.2, 0, 0))

# == strut ==
rig = gremio.strut(rig, "Mast", "Jib", (0.15, 0, -0.5), (1.4, 0, -0.1))

# == constrain ==
rig = gremio.constrain(rig, "tether", "Hook", "Mast", distance=2.5, reach="within")

# == leave_in_place ==
rig = gremio.leave_in_place(gremio.constrain(rig, "ride", "Hook", "Jib"), "Hook")

# == path ==
rig = gremio.path(rig, "Rail", [(0, 0, 0), (2, 0, 0), (3, 1, 0)])

# == strand ==
rig = gremio.strand(rig, "rope", ("Jib", (2.8, 0, 0)), ("Hook", (0, 0, 0)), thickness=0.02)

# == carriage ==
rig = gremio.part(rig, "Trolley", gremio.shape(gremio.Box(1.6, 0.8, 0.1), at=(0, 0, 0.4)),
                  joint="planar")
wheels = []
for name, x, y in (("Front left", 0.6, 0.5), ("Front right", 0.6, -0.5),
                   ("Rear left", -0.6, 0.5), ("Rear right", -0.6, -0.5)):
    wheels.append(name)
    rig = gremio.part(rig, name, gremio.shape(gremio.Cylinder(0.5, 0.1), turned=("90 deg", 0, 0)),
                      on="Trolley", at=(x, y, 0.25), joint="wheel" if x > 0 else "spin y")
rig = gremio.carriage(rig, "Trolley", wheels, wheels[:2])

# == drive_to ==
rig = gremio.part(rig, "Trolley", gremio.shape(gremio.Box(1.6, 0.8, 0.1), at=(0, 0, 0.4)),
                  joint="planar")
wheels = []
for name, x, y in (("Front left", 0.6, 0.5), ("Front right", 0.6, -0.5),
                   ("Rear left", -0.6, 0.5), ("Rear right", -0.6, -0.5)):
    wheels.append(name)
    rig = gremio.part(rig, name, gremio.shape(gremio.Cylinder(0.5, 0.1), turned=("90 deg", 0, 0)),
                      on="Trolley", at=(x, y, 0.25), joint="wheel" if x > 0 else "spin y")
rig = gremio.drive_to(gremio.carriage(rig, "Trolley", wheels, wheels[:2]), "Trolley", 3, 0.5)

# == tread ==
for name, x in (("Sprocket", 0), ("Idler", 1.5)):
    rig = gremio.part(rig, name, gremio.shape(gremio.Cylinder(0.5, 0.2), turned=("90 deg", 0, 0)),
                      at=(x, 8, 0.5), joint="spin y")
rig = gremio.tread(rig, ["Sprocket", "Idler"])

# == tread_links ==
for name, x in (("Sprocket", 0), ("Idler", 1.5)):
    rig = gremio.part(rig, name, gremio.shape(gremio.Cylinder(0.5, 0.2), turned=("90 deg", 0, 0)),
                      at=(x, 8, 0.5), joint="spin y")
rig = gremio.tread(rig, ["Sprocket", "Idler"])
(tread,) = rig.treads.values()
frames = gremio.tread_links(gremio.solve(rig), tread.name)

# == tracked ==
rig = gremio.part(rig, "Winch", gremio.shape(gremio.Box(2, 1, 0.3), at=(0, 0, 0.6)), joint="planar")
wheels = []
for side, y in (("left", 0.6), ("right", -0.6)):
    for end, x in (("front", 0.8), ("rear", -0.8)):
        wheels.append(f"{end} {side}")
        rig = gremio.part(rig, wheels[-1], gremio.shape(gremio.Cylinder(0.5, 0.2),
                          turned=("90 deg", 0, 0)), on="Winch", at=(x, y, 0.3), joint="spin y")
rig = gremio.tracked(rig, "Winch", wheels)

# == solve ==
pose = gremio.solve(rig, {"Open": "20 deg"})
turn, world = pose.value("Gate", "turn z"), pose.part("Gate").world

# == run ==
poses = gremio.run(rig, {"Open": [0.0, 0.5, 1.0]})

# == sweep ==
poses = gremio.sweep(rig, "Open", 91)
degrees = poses["Open", "deg"]

# == keep ==
rig = gremio.keep(gremio.put(rig, {"Open": "30 deg"}), "Ajar")

# == to_pose ==
rig = gremio.to_pose(gremio.keep(gremio.put(rig, {"Open": "30 deg"}), "Ajar"), "Ajar")

# == inspect ==
for finding in gremio.inspect(rig):
    print(finding.note.text, [mend.words for mend in finding.mends])

# == picture ==
gremio.picture(gremio.solve(rig, {"Open": "40 deg"}), "quay.png", size=(640, 400))

# == routine ==
rig = gremio.routine(rig, "Through", "8 s", rate=25)

# == key ==
rig = gremio.routine(rig, "Through", "8 s")
rig = gremio.key(rig, "2 s", {"Open": "60 deg"})

# == motor ==
rig = gremio.control(rig, "Speed", "-2 turn/s", "2 turn/s")
rig = gremio.motor(rig, "Speed", "Wheel turn z")

# == rumble ==
rig = gremio.control(rig, "Amount", 0, 1, kind="number")
rig = gremio.rumble(rig, "Amount", {"Hook move z": "4 mm"})

# == hand_over ==
rig = gremio.routine(rig, "Through", "8 s")
rig = gremio.hand_over(rig, "3 s", "Hook", "Gate")

# == at_time ==
rig = gremio.key(gremio.routine(rig, "Through", "8 s"), "4 s", {"Open": "60 deg"})
pose = gremio.at_time(rig, "2.5 s")

# == bake ==
rig = gremio.key(gremio.routine(rig, "Through", "2 s"), "1 s", {"Open": "60 deg"})
frames = gremio.bake(rig, "Through")
speed = frames.velocity("Gate turn z")

# == trace ==
line = gremio.trace(rig, "Gate", (2, 0, 0), control="Open")
text = line.csv()

# == copy ==
rig = gremio.copy(rig, "Gate", aside=(0, 3, 0), leads="own")

# == mirror ==
rig = gremio.mirror(rig, "Gate", across="y", of="Post", at=0.5, alike=True)

# == resize ==
rig = gremio.resize(rig, 1.5, "Wheel")

# == take ==
piece = gremio.take(rig, "Gate")

# == put_in ==
other = gremio.put_in(gremio.Rig("Other quay"), gremio.take(rig, "Gate"))

# == keep_kit ==
kit = gremio.keep_kit(rig, "Gate", to="gate.gremio", words=["door"], ask=["Gate length"])

# == put_kit ==
gremio.keep_kit(rig, "Gate", to="gate.gremio", ask=["Gate length"])
barge = gremio.part(gremio.Rig("Barge"), "Hull", gremio.Box(6, 2, 1))
barge = gremio.put_kit(barge, "gate.gremio", on="Hull", at=(1, 0, "0.5 m"),
                       sizes={"Gate length": "1.5 m"})

# == kit_changes ==
gremio.keep_kit(rig, "Gate", to="gate.gremio")
barge = gremio.put_kit(gremio.Rig("Barge"), "gate.gremio")
gremio.keep_kit(gremio.set_stops(rig, "Gate", 0, "70 deg"), "Gate", to="gate.gremio")
for change in gremio.kit_changes(barge):
    print(change.text)

# == update_kits ==
gremio.keep_kit(rig, "Gate", to="gate.gremio")
barge = gremio.put_kit(gremio.Rig("Barge"), "gate.gremio")
gremio.keep_kit(gremio.set_stops(rig, "Gate", 0, "70 deg"), "Gate", to="gate.gremio")
barge = gremio.update_kits(barge)

# == compare ==
later = gremio.set_stops(rig, "Gate", 0, "70 deg")
for difference in gremio.compare(rig, later):
    print(difference.text)

# == merge ==
later = gremio.rename(gremio.set_stops(rig, "Gate", 0, "70 deg"), "Bolt", "Latch")
stops_only = [one for one in gremio.compare(rig, later) if "stop" in one.aspect]
rig = gremio.merge(rig, later, stops_only)

# == changes ==
gremio.export(rig, "quay.glb")
brought = gremio.bring_in(gremio.Rig("From a model"), "quay.glb")
gremio.export(gremio.put(rig, {"Open": "30 deg"}), "quay.glb")
for change in gremio.changes(brought, "quay.glb"):
    print(change.text)

# == revise ==
gremio.export(rig, "quay.glb")
brought = gremio.bring_in(gremio.Rig("From a model"), "quay.glb")
gremio.export(gremio.put(rig, {"Open": "30 deg"}), "quay.glb")
brought = gremio.revise(brought, "quay.glb", ["moved"], mounts="follow")
