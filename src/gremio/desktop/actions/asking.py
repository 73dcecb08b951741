"""Actions that begin with a question, or with the sheet of the Card that asks."""

from __future__ import annotations

from gremio.core.make.driving import driving_of
from gremio.core.rig.channels import has_axis
from gremio.core.rig.constraints import CONSTRAINTS
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Cam, ConstraintKind, StrandKind
from gremio.core.rig.numbers import full_label
from gremio.desktop.actions import rigging
from gremio.desktop.actions.desktop import Desktop
from gremio.desktop.actions.part_questions import (
    BandWheels,
    CamFollower,
    ConstraintTarget,
    Copies,
    Follower,
    OneMoreTarget,
    PlanetaryRing,
)
from gremio.desktop.actions.place_questions import (
    AxisWay,
    DrivePlace,
    EdgeLoop,
    PathPoints,
    PinEnds,
    RopeWay,
    StrandEnds,
    StrutEnds,
    WhatToMeasure,
)


def lead_something(desktop: Desktop) -> None:
    """Begin a link from what is selected: the next click chooses the follower."""
    document = desktop.document
    lead = rigging.lead_of_selected(document)
    if lead:
        desktop.bench.ask(Follower(document, lead, desktop.propose_ratio))


def lead_from(desktop: Desktop, channel: ChannelKey) -> None:
    """Let the next click choose what a number (key) should lead."""
    document = desktop.document
    desktop.bench.ask(Follower(document, channel, desktop.propose_ratio))
    document.said.emit(
        f"{full_label(document.rig, channel)} will lead. Click the part that should follow."
    )


def lead_one_more(desktop: Desktop) -> None:
    """Let the next click choose one more follower of the selected cam, or of the one shown."""
    document = desktop.document
    links = document.rig.links
    chosen = document.selected if document.selected in links else NOTHING
    add_follower(desktop, chosen or desktop.cam_shown)


def add_follower(desktop: Desktop, link_id: ThingId) -> None:
    """Let the next click choose one more follower of a cam."""
    document = desktop.document
    if isinstance(document.rig.links.get(link_id), Cam):
        desktop.bench.ask(CamFollower(document, link_id))
    else:
        document.said.emit("Select a cam first: its followers are added to, one click each.")


def teach(desktop: Desktop) -> None:
    """Begin to teach a cam, or leave teaching and show the motion."""
    from gremio.desktop.actions import teaching

    teaching.switch(desktop.document, desktop.bench.motion, desktop.cam_shown)
    desktop.show_page("Cam")


def record_station(desktop: Desktop) -> None:
    """Record a station of the cam that is taught."""
    from gremio.desktop.actions import teaching

    teaching.record(desktop.document)


def pin(desktop: Desktop) -> None:
    """Let the next two clicks choose what is pinned together."""
    desktop.bench.ask(PinEnds(desktop.document))


def strut(desktop: Desktop) -> None:
    """Let the next two clicks choose what a strut goes between. Two parts that are chosen become
    its bodies."""
    chosen = desktop.document.chosen_parts
    desktop.bench.ask(StrutEnds(desktop.document, chosen if len(chosen) == 2 else ()))


def drive(desktop: Desktop) -> None:
    """Let the next clicks say where the carriage of what is selected goes."""
    document = desktop.document
    link = driving_of(document.program, document.selected)
    if link is None:
        document.said.emit("Select a carriage, or its travel on the Desk: clicks then drive it.")
        return
    desktop.bench.ask(DrivePlace(document, link.body))


def strand(desktop: Desktop, kind: StrandKind) -> None:
    """Let the next clicks choose where a strand goes."""
    document = desktop.document
    rope = kind == "rope"
    desktop.bench.ask(RopeWay(document) if rope else StrandEnds(document, kind))


def constrain(desktop: Desktop, kind: ConstraintKind) -> None:
    """Begin a constraint on the selected part: the next click chooses its target."""
    document = desktop.document
    part = rigging.selected_part(document)
    if not part:
        return
    if CONSTRAINTS[kind].most_targets == 0:
        from gremio.desktop.actions import constraining

        constraining.tie(document, kind, part, [])
        return
    desktop.bench.ask(ConstraintTarget(document, kind, part))


def add_target(desktop: Desktop) -> None:
    """Let the next click choose one more target of the selected constraint."""
    document = desktop.document
    if document.selected in document.rig.constraints:
        desktop.bench.ask(OneMoreTarget(document, document.selected))
    else:
        document.said.emit("Select a constraint first; then click one more target.")


def seat_copies(desktop: Desktop) -> None:
    """Let each click put the selected part, and then copies of it, on a surface."""
    part = rigging.selected_part(desktop.document)
    if part:
        desktop.bench.ask(Copies(desktop.document, part))


def path_points(desktop: Desktop) -> None:
    """Let the next clicks draw a path."""
    desktop.bench.ask(PathPoints(desktop.document))


def path_edges(desktop: Desktop) -> None:
    """Let the next click choose an edge, whose loop becomes a path."""
    bench = desktop.bench
    bench.ask(EdgeLoop(desktop.document, lambda: bench.camera.back))


def path_wheels(desktop: Desktop) -> None:
    """Let the next clicks choose the wheels that a path goes round."""
    desktop.bench.ask(BandWheels(desktop.document))


def planetary_set(desktop: Desktop) -> None:
    """Begin a planetary set with the selected part as its sun: the ring, then the arm."""
    document = desktop.document
    sun = rigging.selected_part(document)
    if sun and rigging.can_move(document, sun):
        desktop.bench.ask(PlanetaryRing(document, sun))


def mirror(desktop: Desktop) -> None:
    """Make a twin of what is selected."""
    if desktop.document.chosen_parts:
        desktop.mirror()
    else:
        desktop.document.said.emit("Select what to mirror: a part goes with all it carries.")


def carriage(desktop: Desktop) -> None:
    """Make a carriage of the selected part and its wheels."""
    part = rigging.selected_part(desktop.document)
    if part:
        desktop.make_carriage(part)


def choose_joint(desktop: Desktop) -> None:
    """Open the choice of joints on the Card."""
    if rigging.selected_part(desktop.document):
        desktop.open_joint()


def pick_axis(desktop: Desktop) -> None:
    """Let the next click lay the axis of the selected part: its place and its direction."""
    part = rigging.selected_part(desktop.document)
    if part and has_axis(desktop.document.rig.parts[part].joint.kind):
        desktop.bench.ask(AxisWay(desktop.document, part))
    elif part:
        name = desktop.document.rig.parts[part].name
        desktop.document.said.emit(f"The joint of {name} has no axis. Press J to give it one.")


def turn_round(desktop: Desktop) -> None:
    """Let the selected part go the other way."""
    from gremio.desktop.actions import preparing

    part = rigging.selected_part(desktop.document)
    if part:
        preparing.turn_axis_round(desktop.document, part)


def place_teeth(desktop: Desktop) -> None:
    """Place the gears that hang together with the selected part, tooth in space."""
    from gremio.desktop.actions import preparing

    preparing.place_teeth(desktop.document)


def to_the_ground(desktop: Desktop) -> None:
    """Put the whole rig on the ground at the origin."""
    from gremio.desktop.actions import preparing

    preparing.to_the_ground(desktop.document, desktop.bench.corners())


def take_scale_out(desktop: Desktop) -> None:
    """Take stray scale out of every mount."""
    from gremio.desktop.actions import preparing

    preparing.take_scale_out(desktop.document)


def measure(desktop: Desktop) -> None:
    """Begin to measure, or stop."""
    bench = desktop.bench
    if bench.asking():
        bench.stop_asking()
        return
    bench.ask(WhatToMeasure(desktop.document, desktop.show_measuring, desktop.leave_measuring))
    desktop.show_measuring([])
