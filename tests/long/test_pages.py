"""The pages on the scripting face: all of it is told, each script draws, and nothing is fetched."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest
from PIL import Image

import gremio

ROOT = Path(__file__).parent.parent.parent


@pytest.fixture(scope="module")
def pages(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The pages, built anew; that runs every script of the gallery."""
    folder = tmp_path_factory.mktemp("pages")
    command = [sys.executable, str(ROOT / "scripts" / "build_pages.py"), str(folder)]
    done = subprocess.run(command, capture_output=True, text=True, timeout=300, check=False)
    assert done.returncode == 0, done.stderr
    return folder


def test_every_name_is_in_the_reference_once(pages: Path) -> None:
    told = re.findall(r'<h3 id="gremio\.(\w+)"', (pages / "reference.html").read_text())
    assert sorted(told) == sorted(gremio.__all__)


def test_every_script_of_the_gallery_draws_something(pages: Path) -> None:
    page = (pages / "gallery.html").read_text()
    scripts = sorted((ROOT / "docs" / "gallery").glob("*.py"))
    assert len(scripts) >= 10
    for script in scripts:
        picture = pages / "gallery" / f"{script.stem}.png"
        assert f"gallery/{picture.name}" in page
        colours = Image.open(picture).convert("RGB").getcolors(1 << 20)
        # Paper and grid alone are greys of one hue; a machine has faces and inked edges.
        assert colours is not None and len(colours) > 50, script.name


def test_nothing_is_fetched_from_any_network(pages: Path) -> None:
    for page in pages.glob("*.html"):
        loaded = re.findall(r'(?:src|href)="(https?:[^"]+)"', page.read_text())
        assert loaded == [], page.name
