"""What hands do with the time: keys, and writing them."""

from __future__ import annotations

from gremio.desktop.actions.desktop import Desktop


def key_selected(desktop: Desktop) -> None:
    """Leave keys of what is selected, or of what hands have put, at the time now."""
    document = desktop.document
    channels = document.channels_of(document.selected)
    if not channels and not document.timing.over:
        document.said.emit("Select a control, or a part that can move, and press E to key it.")
        return
    if document.timing.key_now(channels):
        desktop.show_page("Routine")


def switch_writing(desktop: Desktop) -> None:
    """Let what hands move leave keys at the time now, or no more."""
    timing = desktop.document.timing
    timing.write(not timing.writing)
    if timing.writing:
        desktop.show_page("Routine")
