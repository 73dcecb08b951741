"""The Card of a link: lead, follower, and the arithmetic between them. One form a kind."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, cast

from msgspec.structs import replace

from gremio.core.edit.cams import as_cam
from gremio.core.edit.controls import all_home
from gremio.core.edit.formulas import shown, write
from gremio.core.edit.links import (
    change_link,
    pair_of,
    remove_link,
    swapped,
    typed_ratio,
    with_pair,
)
from gremio.core.edit.parts import descendants
from gremio.core.inspect.words import how, ratio_text
from gremio.core.make.gearing import GEARED, gears_of
from gremio.core.make.meshing import fit_by_shift, interlock, mesh_between
from gremio.core.make.own_teeth import interlock_own
from gremio.core.make.pairs import propose
from gremio.core.problem import GremioError, counted_words
from gremio.core.quantity import UNITS, Kind, show_short
from gremio.core.remembered import Remembered
from gremio.core.rig.cams import as_from_to, as_ratio, is_from_to
from gremio.core.rig.channels import split
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.lengths import length_unit, small_unit
from gremio.core.rig.links import (
    adds,
    can_hold,
    followers,
    leads,
    link_holds,
    link_kind,
    link_word,
)
from gremio.core.rig.model import Cam, Formula, Link, LinkKind, Planetary, Ratio, Rig
from gremio.core.rig.numbers import full_label, kind_of, shown_unit
from gremio.core.solve.ask import solve
from gremio.desktop.actions.hints import with_key
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Field,
    Head,
    Line,
    Own,
    Pick,
    Rule,
    Thing,
    Title,
    Words,
)
from gremio.desktop.card.range_section import range_section
from gremio.desktop.document.document import Document
from gremio.desktop.fields.formula_edit import FormulaEdit
from gremio.desktop.theme.inks import Inks

# Flanks that cross by less are told as touching (m).
_NO_PLAY = 1e-6
_HEADING, _GROUND = "its own heading", "the ground"
_BACK = {"yes, from either end": False, "no, it holds": True}
_GIVES = {"sets its follower": False, "adds to its follower": True}
_MADE = ("ratio", "from–to cam", "cam")


class LinkSheet(FormSheet):
    """What is known of one link."""

    change = staticmethod(change_link)

    formula: FormulaEdit

    def __init__(self, document: Document, link_id: ThingId, inks: Inks) -> None:
        self._played: Remembered[str] = Remembered()
        super().__init__(document, link_id, inks)
        link = self.link
        more = [Act("Remove this link", self._remove)]
        if (isinstance(link, Ratio) and split(link.lead)[0] in document.rig.parts) or (
            isinstance(link, Cam) and is_from_to(link) and len(link.followers) == 1
        ):
            more.insert(0, Act("Swap lead and follower", self.swap))
        self.lay(
            Title(lambda _rig: _title(link), more=more),
            Words(f"link, {self._ways(link)}"),
            Rule(),
        )
        if isinstance(link, Ratio | Cam):
            self.lay(
                Pick("Made as", {made: made for made in _MADE}, lambda rig: _made(self._of(rig)),
                     self._made_into, "make of a link", "Made as"),
                Pick("Gives", _GIVES, self.get("adds"), self.set("adds"), "what a link does",
                     "What it does"),
            )  # fmt: skip
        if can_hold(link):
            self.lay(Pick("Driven back", _BACK, self.get("one_way"), self.set("one_way"),
                          "which way a link drives", "Driven back"))  # fmt: skip
        self.lay(FORMS[link_kind(link)](self, link))
        self.end()
        self.take_pose()

    @property
    def link(self) -> Link:
        """The link as it is now."""
        return self._of(self.document.rig)

    def _of(self, rig: Rig) -> Link:
        return rig.links[self.thing]

    def number(self, word: str, field: str, kind: Kind, unit: str) -> Amount:
        """One of its numbers."""
        what = f"{word.lower()} of a link"
        return Amount(word, kind, self.get(field), self.set(field), what, unit=unit)

    def _ways(self, link: Link) -> str:
        """Whether it works both ways, in words."""
        if adds(link):
            return "adds to what its follower has"
        train = self.document.program.trains.get(followers(link)[0])
        if isinstance(link, Ratio | Planetary) and train is not None:
            freedoms = len(train.inputs)
            members = len(train.inputs) + len(train.shares)
            given = [c for c in train.inputs if not split(c)[1] or self._is_led(c)]
            free = "locked" if not freedoms else f"{freedoms} freedom{'s' * (freedoms > 1)}"
            led = f", {len(given)} of them led" if freedoms > 1 else ""
            both = "one way" if link_holds(link) else "two-way"
            return f"{both}, in a train of {members}, {free}{led}"
        if link_holds(link):
            return "one way"
        if isinstance(link, Cam) or (isinstance(link, Ratio) and link.ratio != 0.0):
            return "two-way"
        return "one way"

    def _is_led(self, channel: ChannelKey) -> bool:
        return channel in self.document.program.drives

    # ── lead and follower ──────────────────────────────────────────

    def ends(self, link: Link) -> Iterator[Field]:
        """Leads, then followers."""
        known = self.leads(link)
        if known:
            yield Head("Lead" if len(known) == 1 else "Leads")
        for channel in known:
            yield self.slab(channel, "")
        yield Head("Follower" if len(followers(link)) == 1 else "Followers")
        for channel in followers(link):
            told = how(self.document.rig, link, channel) if isinstance(link, Cam) else ""
            yield self.slab(channel, told)

    def leads(self, link: Link) -> list[ChannelKey]:
        """Keys of the numbers that lead in it, but for the clock, which has no Card."""
        row = self.document.program.channel_row
        return [c for c in leads(link) if c in row and c != CLOCK]

    def slab(self, channel: ChannelKey, told: str) -> Thing:
        """One end of it."""
        rig, owner = self.document.rig, split(channel)[0]
        symbol = "control"
        if owner in rig.parts:
            symbol = rig.parts[PartId(owner)].joint.kind
        elif owner in rig.constraints:
            symbol = rig.constraints[owner].kind
        elif owner in rig.strands:
            symbol = "strand"
        elif owner in rig.treads:
            symbol = "tread"
        return Thing(symbol, full_label(rig, channel), told, owner)

    def write(self, text: str) -> None:
        """Take over a formula."""
        link = self.link
        assert isinstance(link, Formula)
        name = full_label(self.document.rig, link.follower)
        self.document.edit(
            f"formula for {name}", lambda rig: write(rig, link.follower, text, adds=link.adds)[0]
        )

    # ── edits ──────────────────────────────────────────────────────

    def _made_into(self, rig: Rig, made: str) -> Rig:
        return change_link(rig, self.thing, _made_as(rig, self._of(rig), made))

    def of(self, rig: Rig) -> Link:
        """The link as a rig has it."""
        return self._of(rig)

    def typed(self, rig: Rig, text: str) -> Rig:
        """The rig with a ratio of bare numbers as it was typed."""
        ratio = self._of(rig)
        assert isinstance(ratio, Ratio)
        return change_link(rig, self.thing, typed_ratio(ratio, text.replace("−", "-")))

    def swap(self) -> None:
        """Lead and follower the other way about."""

        def change(rig: Rig) -> Rig:
            link = self._of(rig)
            assert isinstance(link, Ratio | Cam)
            return change_link(rig, self.thing, swapped(link))

        self.edit("swap lead and follower", change)

    def play(self) -> str:
        """The backlash there is at home, in words; "" where it can't be told."""
        document = self.document
        return self._played.of(document.program, partial(self._play_of, document.rig))

    def _play_of(self, rig: Rig) -> str:
        try:
            home = solve(all_home(rig), geometry=self.document.geometry)
            found = mesh_between(rig, home, *self._parts()).backlash
        except GremioError:
            return ""
        if not math.isfinite(found):
            return ""
        if found < -_NO_PLAY:
            return f"flanks cross by {show_short(-found, 'mm')} now"
        return f"{show_short(max(found, 0.0), 'mm')} of play now"

    def place_teeth(self) -> None:
        """Bring the follower's teeth into the lead's spaces."""
        one, two = self._parts()
        name, geometry = self.document.rig.parts[two].name, self.document.geometry
        rig, pose = self.document.rig, self.document.settled()
        place = interlock if gears_of(rig, pose, two) else interlock_own
        self.edit(f"place {name}", lambda rig: place(rig, one, two, geometry=geometry))

    def fit_teeth(self) -> None:
        """Fit the teeth by profile shift, mounts staying."""
        one, two = self._parts()
        name, geometry = self.document.rig.parts[two].name, self.document.geometry
        self.edit(f"profile shift by {name}",
                  lambda rig: fit_by_shift(rig, one, two, geometry=geometry))  # fmt: skip

    def _parts(self) -> tuple[PartId, PartId]:
        link = self.link
        assert isinstance(link, Ratio)
        return PartId(split(link.lead)[0]), PartId(split(link.follower)[0])

    def _remove(self) -> None:
        self.document.edit("remove a link", lambda rig: remove_link(rig, self.thing))


def _title(link: Link) -> str:
    if isinstance(link, Cam) and not is_from_to(link):
        return f"Cam, {counted_words(len(link.stations), 'station')}"
    return link_word(link).capitalize()


def _made(link: Link) -> str:
    return link_word(link) if isinstance(link, Cam) else "ratio"


def _made_as(rig: Rig, link: Link, made: str) -> Link:
    """A ratio or a cam as one of the others. Raises GremioError where it can't be."""
    if isinstance(link, Ratio):
        return as_cam(rig, link) if made == "cam" else as_cam(rig, link, "straight")
    assert isinstance(link, Cam)
    if made == "cam":
        smooth = tuple(replace(f, profile="smooth") for f in link.followers)
        return replace(link, followers=smooth)
    if made == "from–to cam":
        ranges = as_from_to(link)
        if ranges is None:
            raise GremioError("A from–to cam needs two stations to go between. Teach another.")
        return ranges
    if len(link.followers) > 1:
        raise GremioError(
            "A ratio has one follower, and this cam has more. Remove the others first."
        )
    ratio = as_ratio(link)
    if ratio is None:
        raise GremioError("A ratio needs two stations to go through. Teach another.")
    return ratio


# ── one form a kind ────────────────────────────────────────────────


def _ratio_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    rig = sheet.document.rig
    lead_unit, unit = shown_unit(rig, link.lead), shown_unit(rig, link.follower)
    lead_kind, kind = kind_of(rig, link.lead), kind_of(rig, link.follower)
    if told := _arithmetic(sheet.document, link):
        yield Words(told, digits=True)
    if lead_kind == kind:
        yield Line("Ratio", lambda rig: ratio_text(cast(Ratio, sheet.of(rig))).replace("-", "−"),
                   sheet.typed, "ratio", "Ratio", "-12/36", digits=True)  # fmt: skip
    else:
        yield from _proportion(sheet, (lead_kind, lead_unit), (kind, unit))
    yield Amount("starts at", kind, sheet.get("offset"), sheet.set("offset"), "start of a link",
                 "Starts at", unit=unit,
                 help="Where the follower is when the lead is at zero")  # fmt: skip
    if link.carrier:
        yield Words(f"as seen from {full_label(rig, link.carrier)}")
    if link.kind in GEARED:
        if sheet.play():
            yield Amount("Backlash", "length", sheet.get("backlash"), sheet.set("backlash"),
                         "backlash of a link", unit=small_unit(rig), decimals=3,
                         help="Play between flanks, left by what places the teeth")  # fmt: skip
            yield Words(sheet.play, digits=True)
        yield Act("Place its teeth in the spaces", sheet.place_teeth)
        if gears_of(rig, sheet.document.pose, PartId(split(link.follower)[0])):
            yield Act("Fit it by profile shift", sheet.fit_teeth, "Where its mounts stay")
    yield from sheet.ends(link)


def _proportion(
    sheet: LinkSheet, lead: tuple[Kind, str], follower: tuple[Kind, str]
) -> Iterator[Field]:
    """How far the follower moves for so much of the lead: either can be typed."""
    usual = 2 * math.pi if lead[1] in ("deg", "rad", "turn") else UNITS[lead[1]].size

    def now(rig: Rig) -> tuple[float, float]:
        ratio = sheet.of(rig)
        assert isinstance(ratio, Ratio)
        return pair_of(ratio) or (usual, usual * ratio.ratio)

    def put(rig: Rig, pair: tuple[float, float]) -> Rig:
        ratio = sheet.of(rig)
        assert isinstance(ratio, Ratio)
        return change_link(rig, sheet.thing, with_pair(ratio, *pair))

    yield Amount("For every", lead[0], lambda rig: now(rig)[0],
                 lambda rig, v: put(rig, (v, now(rig)[1])), "proportion of a link",
                 unit=lead[1])  # fmt: skip
    yield Amount("it moves", follower[0], lambda rig: now(rig)[1],
                 lambda rig, v: put(rig, (now(rig)[0], v)), "proportion of a link",
                 "It moves", unit=follower[1])  # fmt: skip


def _arithmetic(document: Document, link: Ratio) -> str:
    """The arithmetic that the parts say, where the ratio is what they say."""
    ends = PartId(split(link.lead)[0]), PartId(split(link.follower)[0])
    if link.kind == "plain" or not all(end in document.rig.parts for end in ends):
        return ""
    try:
        found = propose(document.rig, document.pose, *ends, geometry=document.geometry)
        same = found is not None and math.isclose(found.ratio().ratio, link.ratio)
        return found.words if found is not None and same else ""
    except GremioError:
        return ""


def _planetary_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    yield sheet.number("Ring ÷ sun", "ratio", "number", "")
    yield from sheet.ends(link)


def _cam_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    if is_from_to(link):
        yield from range_section(sheet, sheet.thing, link)
        return
    yield Words("Its stations and profile are on the Cam page below.")
    yield Act("Show its page", lambda: sheet.action_wanted.emit("deck.cam"))
    yield from sheet.ends(link)


def _formula_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    sheet.formula = FormulaEdit(
        sheet.document, link.follower, shown(sheet.document.rig, link), sheet.inks
    )
    sheet.formula.committed.connect(sheet.write)
    yield Own(lambda: [sheet.formula])
    yield Head("Follower")
    yield sheet.slab(link.follower, "")
    known = sheet.leads(link)
    if known:
        yield Head("Leads")
    for channel in known:
        yield sheet.slab(channel, "")


def _rolling_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    paths = {path.name: path_id for path_id, path in sheet.document.rig.paths.items()}
    yield sheet.number("Radius", "radius", "length", small_unit(sheet.document.rig))
    yield from _rolls_over(sheet, link)
    if link.ball:
        yield Words("It turns by the way it is carried ÷ radius, in every direction.")
        yield from sheet.ends(link)
        return
    yield Pick("Way along", {_HEADING: "", **paths}, sheet.get("path"), sheet.set("path"),
               "way of a wheel", "Way along")  # fmt: skip
    yield Words("It turns by the way it is carried ÷ radius, also backwards.")
    yield from sheet.ends(link)


def _rolls_over(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    """What a wheel rolls over: the ground, or a part that it does not carry and is not."""
    rig, own = sheet.document.rig, PartId(split(link.follower)[0])
    below = descendants(rig, own)
    parts = {p.name: i for i, p in rig.parts.items() if i != own and i not in below}
    yield Pick("Over", {_GROUND: None, **parts}, sheet.get("on"), sheet.set("on"),
               "what a wheel rolls over", "What it rolls over")  # fmt: skip


def _motor_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    rig = sheet.document.rig
    kind, unit = kind_of(rig, link.follower), shown_unit(rig, link.follower)
    yield Words("It goes on by its rate while the clock runs; a routine adds it up from its own "
                "beginning.")  # fmt: skip
    yield sheet.number("Phase", "phase", kind, unit)
    rate = kind_of(rig, link.rate)
    yield Amount(
        "Spins up by",
        rate,
        sheet.get("spin_up"),
        sheet.set("spin_up"),
        "spin-up of a link",
        unit=shown_unit(rig, link.rate),
        help="By how much its rate can change in a second; 0 runs as is asked at once",
    )
    yield Act("Let the clock run, or stop it", partial(sheet.action_wanted.emit, "time.run"),
              with_key("Without a routine, for all motors", "time.run"))  # fmt: skip
    yield from sheet.ends(link)


def _rumble_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    rig = sheet.document.rig
    kind, unit = kind_of(rig, link.follower), shown_unit(rig, link.follower)
    yield Words("It is shaken while the clock runs, either way by so much at most where the amount "
                "is 1, or 100 %. At an amount of nothing it stands.")  # fmt: skip
    yield sheet.number("At most", "share", kind, small_unit(rig) if kind == "length" else unit)
    yield sheet.number("Speed", "speed", "frequency", "Hz")
    yield sheet.number("Smoothness", "smoothness", "number", "%")
    yield Amount("Seed", "number", sheet.get("seed"),
                 lambda rig, value: sheet.set("seed")(rig, round(value)),
                 "seed of a link", unit="", decimals=0)  # fmt: skip
    yield Act("Let the clock run, or stop it", partial(sheet.action_wanted.emit, "time.run"),
              with_key("Without a routine, for all motors and rumbles", "time.run"))  # fmt: skip
    yield from sheet.ends(link)


def _driving_form(sheet: LinkSheet, link: Any) -> Iterator[Field]:
    unit = length_unit(sheet.document.rig, link.body)
    yield sheet.number("Wheelbase", "wheelbase", "length", unit)
    yield sheet.number("Axle at", "axle", "length", unit)
    yield from sheet.ends(link)


FORMS: dict[LinkKind, Callable[[LinkSheet, Any], Iterator[Field]]] = {
    "ratio": _ratio_form,
    "planetary": _planetary_form,
    "cam": _cam_form,
    "formula": _formula_form,
    "rolling": _rolling_form,
    "driving": _driving_form,
    "motor": _motor_form,
    "rumble": _rumble_form,
}
