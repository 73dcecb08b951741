"""The section of a part's Card that says with what it is kept alike, and parts them."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from gremio.core.make.alike import alike_with, part_them
from gremio.core.problem import counted_words
from gremio.core.rig.ids import ThingId
from gremio.core.rig.numbers import owner_name
from gremio.desktop.card.forms import Act, Field, Head, Words
from gremio.desktop.document.document import Document

# So many differences are listed; the rest is counted.
_MOST = 8


def alike_section(document: Document, thing: ThingId) -> Iterator[Field]:
    """With what a thing is kept alike; nothing where it is with nothing."""
    found = alike_with(document.rig, thing)
    if found is None:
        return
    record_id, other = found
    name = owner_name(document.rig, other)
    yield Head("Alike with", name)
    yield Words(f"What is changed on it is changed on {name}, as the mirror has it, and the other "
                "way round. Names and notes are its own.")  # fmt: skip
    yield Act("Show the other", partial(document.select, other), f"Select {name}")
    yield Act("Part them", partial(_part, document, record_id),
              "Both stay as they are, and go their own ways from then on")  # fmt: skip
    yield Act("What differs", partial(_tell, document, record_id),
              "What each side has for itself")  # fmt: skip


def _part(document: Document, record_id: ThingId) -> None:
    if document.edit("part two sides", lambda rig: part_them(rig, record_id)):
        document.settle()
        document.said.emit("Both sides go their own ways now.")


def _tell(document: Document, record_id: ThingId) -> None:
    from gremio.core.inspect.unlike import unlike

    found = unlike(document.rig, record_id, geometry=document.geometry)
    told = [difference.text for difference in found[:_MOST]]
    if len(found) > _MOST:
        told.append(f"and {counted_words(len(found) - _MOST, 'more')}")
    document.said.emit("; ".join(told) or "Nothing differs but names and notes.")
