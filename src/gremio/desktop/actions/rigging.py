"""What single keys and menu entries do to the rig, mostly to what is selected."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.controls import add_control, all_home
from gremio.core.edit.desk import set_locked
from gremio.core.edit.links import add_link, proposed_ratio
from gremio.core.edit.mounts import set_home_here
from gremio.core.edit.parts import change_part, descendants, moved_by, set_stops
from gremio.core.make.lead_instead import leads_now
from gremio.core.make.linking import set_where_follower_stands
from gremio.core.make.motors import with_motor
from gremio.core.make.rumbles import with_rumble
from gremio.core.problem import counted_words, with_article
from gremio.core.quantity import show_short
from gremio.core.rig.channels import freed, key, main_channel
from gremio.core.rig.constraints import constraints_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import GROUND, NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Control, Rig, StandIn, Stops
from gremio.core.rig.numbers import full_label, shown_unit, stop_keys
from gremio.core.rig.solids import (
    AnySolid,
    Ball,
    Box,
    Cylinder,
    InternalGear,
    Plate,
    RackBar,
    SpurGear,
    Tube,
    Wedge,
)
from gremio.core.rig.things import thing_of
from gremio.desktop.actions.channel_menu import (
    copy_as_link,
    is_led,
    make_control_of,
    paste_link,
)
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document
from gremio.desktop.document.mounted import as_mounted

NEW_PARTS: dict[str, AnySolid | None] = {
    "Box": Box(length=1.0, width=0.6, height=0.4),
    "Cylinder": Cylinder(diameter=0.5, height=1.0),
    "Ball": Ball(diameter=0.5),
    "Tube": Tube(outer_diameter=0.5, inner_diameter=0.4, height=1.0),
    "Wedge": Wedge(length=1.0, width=0.6, height=0.4),
    "Plate": Plate(length=1.0, width=0.6, thickness=0.05, holes=((0.3, 0.0, 0.2),)),
    "Spur gear": SpurGear(module=0.02, teeth=24, width=0.1, bore=0.1),
    "Internal gear": InternalGear(module=0.02, teeth=60, width=0.1, rim=1.32),
    "Rack": RackBar(module=0.02, teeth=20, width=0.1, back=0.06),
    # A frame to group or to carry, without a shape.
    "Mount": None,
}


def selected_part(document: Document) -> PartId:
    """Id of the selected part; says what to do, and gives "", when there is none."""
    if document.selected in document.rig.parts:
        return PartId(document.selected)
    document.said.emit("Select a part first: click it in the Bench or in the list of parts.")
    return GROUND


def can_move(document: Document, part: PartId) -> bool:
    """Whether a part's joint leaves it something; says so when it does not."""
    if main_channel(document.rig.parts[part].joint):
        return True
    document.said.emit(document.grounded_text(part))
    return False


def add_part(document: Document, bench: Bench, kind: str) -> None:
    """Add a part (a key of NEW_PARTS) beside what is there, on the ground; the first one is brought
    into the picture."""
    from gremio.core.make.new_parts import add_beside

    name = free_name(names_in(document.rig), kind)
    solid, corners = NEW_PARTS[kind], bench.corners()
    made = document.make(f"add {name}", lambda rig: add_beside(rig, name, solid, corners))
    if made and len(document.rig.parts) == 1:
        bench.show_all()


def switch_light(document: Document, bench: Bench) -> None:
    """Stand-ins for heavy shapes, or the shapes themselves."""
    bench.set_light(not bench.light)
    document.said.emit(
        "Stand-ins are shown while you work; pictures show the full shapes."
        if bench.light
        else "The full shapes are shown."
    )


def switch_textures(document: Document, bench: Bench) -> None:
    """Base colours as the models have them, or the paints of a drawing."""
    rig = bench.pose.rig
    looks = [document.shelf.look(rig, s) for part in rig.parts.values() for s in part.shapes]
    if not bench.textured and not any(look is not None and look.coloured for look in looks):
        document.said.emit(
            "Nothing here came with textures, or all of it was painted otherwise. Bring in a GLB, "
            "glTF or OBJ with its materials."
        )
        return
    bench.set_textured(not bench.textured)
    document.said.emit(
        "Models are shown in the base colours they came with."
        if bench.textured
        else "Models are shown in their paints."
    )


def go_home(document: Document) -> None:
    """Bring the selected part or control home."""
    channels = document.channels_of(document.selected)
    if channels:
        document.send_home(channels)
    else:
        document.said.emit("Select a control, or a part that can move; H then brings it home.")


def everything_home(document: Document) -> None:
    """Bring everything home."""
    document.timing.free.forget()
    document.edit("send everything home", all_home)
    document.solve_anew()


def make_control(document: Document) -> None:
    """Make a control: for the selected part, already leading it, or a plain one. Of a part that a
    closed linkage moves, ask whether it should lead instead."""
    rig, selected = document.rig, document.selected
    channels = document.channels_of(selected) if selected in rig.parts else []
    led = document.program.drives
    of = next((c for c in channels if c not in led or leads_now(document.program, c)), NOTHING)
    if of:
        make_control_of(document, of)
        return
    name = free_name(names_in(rig), "Control")
    control = Control(name, "angle", "deg", 0.0, math.pi / 2)
    if document.make(f"make {name}", lambda rig: add_control(rig, control)):
        document.said.emit(f"{name} leads nothing yet. Press L, then click a part.")


def make_motor(document: Document) -> None:
    """Let a motor drive what is selected, with a lever for its speed."""
    channels = document.channels_of(document.selected)
    if not channels:
        document.said.emit("Select a part that can move, or a control, that a motor should drive.")
        return
    name = full_label(document.rig, channels[0])
    if document.make(f"a motor for {name}", lambda rig: with_motor(rig, channels[0])):
        lever = document.rig.controls[document.selected].name
        document.said.emit(f"{lever} is how fast {name} goes. Pull it while the clock runs.")
        if document.timing.routine is None:
            document.timing.free.run()


def make_rumble(document: Document) -> None:
    """Let the selected part shake, with a control for how much."""
    part = selected_part(document)
    if not part:
        return
    name = document.rig.parts[part].name
    if document.make(f"let {name} shake", lambda rig: with_rumble(rig, part)):
        control = document.rig.controls[document.selected].name
        document.said.emit(f"{control} is how much {name} shakes. Pull it while the clock runs.")
        if document.timing.routine is None:
            document.timing.free.run()


def lead_of_selected(document: Document) -> ChannelKey:
    """Key of the channel that would lead a new link; says what to do when there is none."""
    selected = document.selected
    if selected in document.rig.parts:
        # What is fixed on a wheel leads with it.
        selected = moved_by(document.rig, PartId(selected))
    channels = document.channels_of(selected)
    if not channels:
        document.said.emit(
            "Select what should lead: a control, or a part that can move. Then press L."
        )
        return NOTHING
    name = full_label(document.rig, channels[0])
    document.said.emit(f"{name} will lead. Click the part that should follow.")
    return channels[0]


def link_to(document: Document, lead: ChannelKey, part: PartId) -> None:
    """Let a channel lead a part, by a ratio to begin with."""
    rig = document.rig
    channel = main_channel(rig.parts[part].joint)
    if not channel:
        document.said.emit(document.grounded_text(part))
        return
    link_channels(document, lead, key(part, channel))


def link_channels(document: Document, lead: ChannelKey, follower: ChannelKey) -> None:
    """Let a number lead another, by a ratio to begin with; the follower stays where it stands."""
    rig = document.rig
    names = full_label(rig, lead), full_label(rig, follower)
    stood = document.settled().at(follower)

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        rig, link = add_link(rig, proposed_ratio(rig, lead, follower))
        return set_where_follower_stands(rig, follower, stood, geometry=document.geometry), link

    if document.make(f"lead {names[1]} from {names[0]}", change):
        document.said.emit(f"{names[0]} leads {names[1]}. Its proportion is on the Card.")


def remove_selected(document: Document) -> None:
    """Remove what is selected."""
    if document.also:
        _remove_parts(document)
        return
    thing = document.selected
    found = thing_of(document.rig, thing)
    if found is None:
        document.said.emit("Nothing is selected, so there is nothing to remove.")
    elif found.field == "constraints":
        _leave(document, [thing])
    else:
        name = found.of(document.rig)[thing].name if found.named else with_article(found.word)
        document.edit(f"remove {name}", lambda rig: _removed(document, rig, thing))


def _removed(document: Document, rig: Rig, thing: ThingId) -> Rig:
    from gremio.core.make.removing import removed

    return removed(rig, thing, document.settled())


def _remove_parts(document: Document) -> None:
    """Remove all parts that are chosen, in one step."""
    parts = document.chosen_parts

    def change(rig: Rig) -> Rig:
        for part in parts:
            # It may have gone with what carried it.
            rig = _removed(document, rig, part) if part in rig.parts else rig
        return rig

    document.edit(f"remove {counted_words(len(parts), 'part')}", change)


def leave_selected(document: Document) -> None:
    """Turn the constraints of the selected part, and of all it carries, into plain placement."""
    family = family_of_selected(document)
    if family:
        rig = document.rig
        _leave(document, [i for part in family for i in constraints_of(rig, part)])


def leave_all(document: Document) -> None:
    """Turn every constraint of the rig into plain placement."""
    _leave(document, document.rig.constraints)


def _leave(document: Document, constraints: Iterable[ThingId]) -> None:
    from gremio.desktop.actions.constraining import leave_in_place

    leave_in_place(document, constraints)


def set_home(document: Document) -> None:
    """Make where the selected part stands now its home."""
    part = selected_part(document)
    if not part:
        return
    entry, pose = document.rig.parts[part], as_mounted(document)
    above = pose.frame_of(entry.parent)
    local = np.linalg.inv(above) @ pose.world(part)
    values = pose.part_of(part).channels
    document.timing.free.give_over(document.channels_of(part))
    document.edit(f"set home of {entry.name}", lambda rig: set_home_here(rig, part, local, values))


def set_stop_here(document: Document, end: str) -> None:
    """Set the low or the high stop of the selected part's main channel where it stands now."""
    part = selected_part(document)
    if not part:
        return
    entry = document.rig.parts[part]
    channel = main_channel(entry.joint)
    if not channel:
        document.said.emit(document.grounded_text(part))
        return
    if is_led(document, stop_keys(key(part, channel))[end == "high"]):
        return
    value = document.settled().at(key(part, channel))
    stops = replace(entry.stops.get(channel, Stops()), **{end: value})
    if document.edit(
        f"{end} stop of {entry.name}", lambda rig: set_stops(rig, part, channel, stops)
    ):
        where = show_short(value, shown_unit(document.rig, key(part, channel)))
        several = f" ({channel})" if len(freed(entry.joint)) > 1 else ""
        document.said.emit(f"The {end} stop of {entry.name}{several} is now {where}.")


def try_axis(document: Document, bench: Bench) -> None:
    """Wiggle the selected part about its axis; nothing is changed."""
    part = selected_part(document)
    if part and not main_channel(document.rig.parts[part].joint):
        document.said.emit(document.grounded_text(part))
    elif part:
        bench.try_axis(part)


def switch_lock(document: Document) -> None:
    """Lock the rig for the animator, or unlock it."""
    locked = not document.rig.locked
    what = "lock the rig for the animator" if locked else "unlock the rig"
    document.edit(what, lambda rig: set_locked(rig, locked))
    text = "Only controls and their faces move anything now." if locked else "The rig is unlocked."
    document.said.emit(text)


def family_of_selected(document: Document) -> list[PartId]:
    """Ids of the selected part and of all it carries; says what to do, and gives none, when
    nothing is selected."""
    if not selected_part(document):
        return []
    rig = document.rig
    every = [one for part in document.chosen_parts for one in (part, *descendants(rig, part))]
    return list(dict.fromkeys(every))


def hide_selected(document: Document, bench: Bench) -> None:
    """Leave the selected part, with all it carries, out of the Bench."""
    family = family_of_selected(document)
    if family:
        bench.hide_parts({*bench.hidden, *family})
        name = document.rig.parts[family[0]].name
        told = f"{name} is hidden" if not document.also else "They are hidden"
        document.said.emit(f"{told}. Bench > Show everything brings back what is hidden.")


def isolate_selected(document: Document, bench: Bench) -> None:
    """Show the selected part, with all it carries, and nothing else; again, show everything."""
    if bench.hidden:
        show_everything(document, bench)
        return
    family = family_of_selected(document)
    if family:
        bench.hide_parts(set(document.rig.parts) - set(family))
        bench.show_selected()


def show_everything(document: Document, bench: Bench) -> None:
    """Hide nothing in the Bench."""
    count = len(bench.hidden & set(document.rig.parts))
    bench.hide_parts(())
    bench.show_all()
    document.said.emit(f"{count} hidden part{'s' * (count != 1)} shown again.")


def stand_in_for_selected(document: Document, stand_in: StandIn) -> None:
    """Choose what is shown in work light for the selected part and all it carries."""
    family = family_of_selected(document)
    if not family:
        return

    def change(rig: Rig) -> Rig:
        for part in family:
            rig = change_part(rig, part, replace(rig.parts[part], stand_in=stand_in))
        return rig

    name = document.rig.parts[family[0]].name
    document.edit(f"stand-in of {name} and what it carries", change)


def copy_link_of_selected(document: Document) -> None:
    """Copy the selected thing's main channel as a link."""
    channel = _main_of_selected(document)
    if channel:
        copy_as_link(document, channel)


def paste_link_on_selected(document: Document) -> None:
    """Let the copied channel lead the selected part."""
    channel = _main_of_selected(document)
    if channel:
        paste_link(document, channel)


def _main_of_selected(document: Document) -> ChannelKey:
    selected = document.selected
    if selected in document.rig.parts:
        main = main_channel(document.rig.parts[PartId(selected)].joint)
        if main:
            return key(selected, main)
        document.said.emit(document.grounded_text(selected))
    elif selected in document.rig.controls:
        return selected
    else:
        document.said.emit("Select a control, or a part that can move, first.")
    return NOTHING
