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


def play(desktop: Desktop) -> None:
    """Play the routine, or stop; without one, let the clock run for the motors, or stop it."""
    timing = desktop.document.timing
    if timing.free.running or (timing.routine is None and not timing.playing):
        run_free(desktop)
    else:
        timing.play()


def run_free(desktop: Desktop) -> None:
    """Let the clock run without a routine, or stop it."""
    document, timing = desktop.document, desktop.document.timing
    if timing.free.running:
        timing.run_free()
        document.said.emit(
            "The clock stands. All stays where it has come to as long as the rig is open; Set home "
            "here keeps it in the file."
        )
    elif timing.free.possible:
        timing.run_free()
        document.said.emit(
            "The clock runs: motors go on from where they are, rumbles shake. Space stops it."
        )
    else:
        document.said.emit(
            "Nothing plays yet. Key something with E, or select a part and let a motor drive it, "
            "or let it shake."
        )
