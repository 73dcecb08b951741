"""Fields for what is read on a control: its own numbers where it has a scale of its own."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from gremio.core.quantity import Kind
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Control, Rig
from gremio.core.rig.numbers import kind_of, shown_unit
from gremio.core.rig.scales import decimals_read
from gremio.desktop.fields.quantity_field import QuantityField


def value_field(entry: Control, what: str, parent: QWidget | None = None) -> QuantityField:
    """A field for what is read on a control: its own numbers where it has a scale of its own."""
    kind: Kind = "number" if entry.scale is not None else entry.kind
    field = QuantityField(kind, "" if entry.scale is not None else entry.unit, what, parent)
    if entry.scale is not None:
        field.decimals = max(decimals_read(entry), 1)
        field.own_unit = entry.scale_unit
        field.step = abs(entry.scale[1] - entry.scale[0]) / 100
    return field


def reading_field(rig: Rig, channel: ChannelKey, what: str) -> QuantityField:
    """A field for any number (key): of a control, for what is read on it (`scales.read_on`)."""
    control = rig.controls.get(ThingId(channel))
    if control is not None:
        return value_field(control, what)
    return QuantityField(kind_of(rig, channel), shown_unit(rig, channel), what)
