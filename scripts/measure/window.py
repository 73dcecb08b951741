"""Measurements in the window: a drag, and a long table."""

from __future__ import annotations

import json
import statistics
import sys
import time

import msgspec
from measuring import Row, best, hinged_tree, rest

from gremio.core.rig.model import (
    Rig,
    Shape,
)
from gremio.core.rig.solids import Plate


def dragging() -> list[Row]:
    """(j) a control dragged on the Desk in a rig of 1,000 parts: from event to painted frame,
    and where the time goes; against the painting of one frame alone."""
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from gremio.desktop.bench.overlay import Overlay
    from gremio.desktop.document.document import Document
    from gremio.desktop.shell.app import make_application
    from gremio.desktop.shell.window import Window

    app = make_application()
    plain = hinged_tree(1_000)
    box = (Shape(Plate(length=0.4, width=0.3, thickness=0.05)),)
    parts = {i: msgspec.structs.replace(part, shapes=box) for i, part in plain.parts.items()}
    window = Window()
    window.move(0, 0)
    window.show()
    window.show_rig(msgspec.structs.replace(plain, parts=parts))
    spent: dict[str, float] = {}

    def timed(owner: type, name: str, word: str) -> None:
        run = getattr(owner, name)

        def measured(self, *args, **kwargs):  # type: ignore[no-untyped-def]
            start = time.perf_counter()
            try:
                return run(self, *args, **kwargs)
            finally:
                spent[word] = spent.get(word, 0.0) + time.perf_counter() - start

        setattr(owner, name, measured)

    timed(Document, "move_all", "the edit, solving and telling the views")
    timed(type(window.bench), "paintGL", "drawing the Bench")
    timed(Overlay, "paintEvent", "drawing over it")
    drawn: list[float] = []
    window.bench.frame_drawn.connect(lambda: drawn.append(time.perf_counter()))
    end = time.perf_counter() + 2
    while time.perf_counter() < end:
        app.processEvents()
    instrument = next(iter(window.desk.instruments.values()))
    handle = window.windowHandle()

    def spot(share: float):  # type: ignore[no-untyped-def]
        body = instrument.body()
        at = QPointF(body.left() + share * body.width(), body.center().y())
        return instrument.mapTo(window, at).toPoint()

    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=spot(0.5))
    took: list[float] = []
    spent.clear()
    for step in range(200):
        drawn.clear()
        start = time.perf_counter()
        # A pixel or more further each time, to and fro.
        QTest.mouseMove(handle, spot(0.1 + 0.8 * abs((step / 60) % 2 - 1)))
        while not drawn and time.perf_counter() - start < 5:
            QApplication.processEvents()
        assert drawn, "no frame was drawn"
        took.append(drawn[0] - start)
    shares = {word: total / sum(took) for word, total in spent.items()}
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=spot(0.5))
    alone = []
    rest(0.5)
    for _ in range(60):
        drawn.clear()
        # One that is there already is not drawn again.
        window.bench.frames._still = None
        start = time.perf_counter()
        window.bench.update()
        while not drawn and time.perf_counter() - start < 5:
            QApplication.processEvents()
        assert drawn, "no frame was drawn"
        alone.append(drawn[0] - start)
    window.document.start(Rig(), None)
    window.close()
    median, worst, frame = statistics.median(took), max(took), statistics.median(alone)
    where = ", ".join(f"{word} {share:.0%}" for word, share in shares.items())
    others = max(1 - sum(shares.values()), 0.0)
    return [(
        f"(j) a control dragged among 1,000 parts, event to painted frame, 200 times; {where}, "
        f"all else {others:.0%}",
        "painting one still, anti-aliased frame of it",
        f"{median * 1e3:.0f} ms median, {worst * 1e3:.0f} ms worst", f"{frame * 1e3:.0f} ms",
        f"{median / frame:.2f} ×, worst {worst / frame:.2f} ×",
    )]  # fmt: skip


def ledger() -> list[Row]:
    """(h) scrolling the Ledger of 10,000 rows: how many rows are made for a page."""
    from PyQt6.QtWidgets import QApplication

    from gremio.desktop.deck.ledger_page import LedgerPage
    from gremio.desktop.document.document import Document
    from gremio.desktop.shell.app import make_application

    app = make_application()
    document = Document()
    document.start(hinged_tree(10_000), None)
    page = LedgerPage(document)
    page.resize(1000, 220)
    asked: set[int] = set()
    table, plain = page.table, page.table.data

    def counted(index, role=0):  # type: ignore[no-untyped-def]
        asked.add(index.row())
        return plain(index, role)

    table.data = counted  # type: ignore[method-assign]
    page.show()
    QApplication.processEvents()

    def scroll() -> None:
        for value in range(0, 9_000, 300):
            page.view.verticalScrollBar().setValue(value)
            app.processEvents()

    asked.clear()
    duration = best(scroll, 2)
    rows = len(asked)
    page.close()
    assert 0 < rows < 2_000, f"{rows} rows were made"
    return [(
        "(h) Ledger of 10,000 rows, 30 pages scrolled", "all its rows",
        f"{rows:,} rows made, {duration * 1e3 / 30:.0f} ms a page", "10,000 rows",
        f"{rows / 10_000:.2f} ×",
    )]  # fmt: skip


if __name__ == "__main__":
    print(json.dumps({"ledger": ledger, "dragging": dragging}[sys.argv[1]]()))
