"""Every kind stands in every table of the window."""

from __future__ import annotations

from typing import get_args

from gremio.core.make.removing import REMOVE
from gremio.core.rig.links import LINKS
from gremio.core.rig.model import ConstraintKind, ControlMake, JointKind, LinkKind
from gremio.core.rig.numbers import OWNERS
from gremio.core.rig.things import THINGS
from gremio.desktop.actions.table import actions_of
from gremio.desktop.card.card import SHEETS
from gremio.desktop.card.constraint_sheet import _SETTINGS
from gremio.desktop.card.link_sheet import FORMS
from gremio.desktop.makes.draw import DRAWN
from gremio.desktop.makes.makes import MAKES
from gremio.desktop.theme.symbols import SYMBOLS


def test_links_and_constraints_have_a_form_and_a_symbol() -> None:
    assert set(FORMS) == set(get_args(LinkKind))
    assert set(_SETTINGS) == set(get_args(ConstraintKind))
    assert {*get_args(ConstraintKind), *get_args(JointKind)} <= set(SYMBOLS)
    assert {kind for kind, record in LINKS.items() if record.symbol is None} <= set(SYMBOLS)
    assert {owner.word for owner in OWNERS} - {"part", "constraint"} <= set(SYMBOLS)


def test_what_can_be_selected_has_a_card_and_can_be_removed() -> None:
    selected = {one.field for one in THINGS if one.selected}
    assert set(SHEETS) == selected
    assert set(REMOVE) == selected - {"parts", "constraints"} | {"poses", "routines"}


def test_actions_have_lasting_ids_of_their_own() -> None:
    ids = [action.id for action in actions_of(("Ledger",))]
    assert len(ids) == len(set(ids))
    for kind in get_args(ConstraintKind):
        assert f"tie.{kind}" in ids


def test_every_make_of_control_has_hands_and_a_drawing() -> None:
    assert set(MAKES) == set(DRAWN) == set(get_args(ControlMake))
