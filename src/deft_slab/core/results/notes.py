"""What is worth knowing about a plan, as notes with a code, data and a place.

Code that looks for a note compares its code. The table ``WORDS`` makes the sentences from code and data; they are never
compared, because they depend on the language.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from ..document.base import Triple
from ..locale import text
from ..locale.translate import tr, tr_many

NoteSeverity = Literal["failed", "look"]
"""Whether something cannot be printed or made as requested, or is only worth a look; as in Check."""


@dataclass(frozen=True)
class Note:
    """Something worth knowing about a plan.

    Attributes
    ----------
    code : str
        A key of ``WORDS``. The part before the point is the subject.
    data : mapping of str
        The arguments of the sentence. The names state the units, such as mm and mm2.
    severity : {"failed", "look"}
        Whether something cannot be made as requested.
    place : (x, y, z), mm, model frame, or None
        Where it is; None if it has no place.
    piece : int or None
        The number of the piece that it concerns, from 0 on.
    """

    code: str
    data: Mapping[str, Any] = field(default_factory=dict, hash=False)
    severity: NoteSeverity = "look"
    place: Triple | None = None
    piece: int | None = None

    @property
    def subject(self) -> str:
        """What the note is about, such as "model" or "cut": the part of its code before the point."""
        return self.code.partition(".")[0]

    @property
    def says(self) -> str:
        """The sentence for the user."""
        return WORDS[self.code](**self.data)

    def as_json(self) -> dict[str, object]:
        """The note for other programs: its code, severity, data and place, and the sentence."""
        return {
            "code": self.code, "severity": self.severity, "says": self.says, "data": dict(self.data),
            "place": None if self.place is None else list(self.place), "piece": self.piece,
        }


def _thin_place(name: str, kind: str, least_mm: float, area_mm2: float) -> str:
    least, area = text.length(least_mm, 2), text.area(area_mm2)
    what = {
        "skin": tr("leaves a skin, {least} thin, along a parallel surface, {area}", least=least, area=area),
        "step": tr("passes {least} from a parallel surface, {area}", least=least, area=area),
        "sliver": tr("leaves a sliver, {least} at its thinnest, {area}", least=least, area=area),
    }[kind]
    return tr("“{name}” {what}.", name=name, what=what)


def _crumbs(name: str, count: int, largest_mm: float, became: str) -> str:
    what = {"keep": tr("kept as pieces"), "drop": tr("set aside"), "neighbour": tr("given to the neighbour")}[became]
    return tr(
        "“{name}” leaves {many}, up to {largest} across; {what}.", name=name, what=what,
        many=tr_many("a crumb", "{n} crumbs", count), largest=text.length(largest_mm, 1),
    )


def _parts_nothing(name: str, why: str, pieces: int) -> str:
    still = tr_many("still {n} piece", "still {n} pieces", pieces)
    return tr("“{name}” {why}: {still}.", name=name, why=why, still=still)


def _lost_piece(name: str) -> str:
    what = text.quoted(name) if name else tr("A piece that you seated")
    return tr("{what} no longer exists with these cuts. Its seat and name are kept in case it comes back.", what=what)


WORDS: dict[str, Callable[..., str]] = {
    "file.read": lambda says: str(says),
    "model.open": lambda problem: str(problem),
    "model.small": lambda length_mm: tr(
        "The model is only {length} long. Is the unit right?", length=text.near(length_mm)
    ),
    "model.large": lambda length_mm: tr(
        "The model is {longest:.3g} m long. Is the unit right?", longest=length_mm / 1000
    ),
    "model.stretched": lambda: tr("The axes are scaled differently, so round shapes are no longer round."),
    "model.on_y": lambda: tr("It may be meant to stand on Y. The Size step can stand it up."),
    "model.supports": lambda body, rods: tr(
        "“{body}” has {rods} slender rods that end on one plane, like supports that came with a file. The Size "
        "step can leave it out.", body=body, rods=rods,
    ),
    "model.joined": lambda says: str(says),
    "model.specks": lambda count, largest_mm: tr_many(
        "One stray speck, {size} across. The Size step can leave it out.",
        "{n:,} stray specks, up to {size} across. The Size step can leave them out.", count,
        size=text.near(largest_mm, 2),
    ),
    "model.loose": lambda bodies: tr(
        "The model has {count} bodies that do not touch. They are seated as one, and a cut makes a piece of each. "
        "The Size step, or the cut Bodies, makes them separate pieces.", count=bodies,
    ),
    "model.tangled": lambda share: tr(
        "About {tangled:.0f} % of the surface passes through the model itself. Rewrapping, in the Size step, makes "
        "one skin.", tangled=100 * share,
    ),
    "cut.parts_nothing": _parts_nothing,
    "cut.takes_little": lambda name, share: tr(
        "“{name}” cuts off only {share} of the model.", name=name, share=text.small_percent(share)
    ),
    "cut.barred": lambda name, length_mm: tr(
        "“{name}” crosses a place where no cut may run, by {barred}.", name=name, barred=text.length(length_mm, 0)
    ),
    "cut.catches": lambda name: tr(
        "“{name}”: what it cuts off cannot be pulled away along one direction.", name=name
    ),
    "cut.thin": _thin_place,
    "cut.crumbs": _crumbs,
    "join.not_made": lambda name, problem: tr("{name} is not made. {problem}", name=name, problem=problem),
    "join.warning": lambda name, warning: f"{name}: {warning}",
    "join.moved": lambda name, by_mm: tr(
        "{name} was moved by {moved}, to stay on its contact.", name=name, moved=text.length(by_mm, 1)
    ),
    "hollow.not_made": lambda hollow, problem: tr(
        "Hollow {ident} is not made. {problem}", ident=hollow, problem=problem
    ),
    "hollow.vent_not_made": lambda vent, hollow, problem: tr(
        "Vent {id} of hollow {ident} is not made. {problem}", id=vent, ident=hollow, problem=problem
    ),
    "hollow.no_vent": lambda voids: tr_many(
        "A void has no vent, so uncured resin stays inside.",
        "{n} voids have no vent, so uncured resin stays inside.", voids,
    ),
    "hollow.vent_on_show_face": lambda vent, hollow: tr(
        "Vent {id} of hollow {ident} opens on a show face.", id=vent, ident=hollow
    ),
    "fit.too_large": lambda piece, over_mm: tr(
        "{name} does not fit the printer: {sentence}.", name=piece,
        sentence=", ".join(filter(None, text.too_large(over_mm))),
    ),
    "printer.belt": lambda: tr(
        "A belt prints in slanting layers. Hours are computed for these, but overhang, support and the check "
        "assume level layers."
    ),
    "printer.no_material": lambda printer, material, piece: tr(
        "{name} has no material “{wished}”, so {name2} is computed with its usual one.",
        name=printer, wished=material, name2=piece,
    ),
    "printer.no_second": lambda: tr(
        "Pieces for a second printer are on the first, because there is no second one."
    ),
    "printer.no_coupon": lambda: tr(
        "There is no coupon for this join, because it has no hole, or its measures make no body."
    ),
    "support.refused": lambda area_mm2: tr(
        "{unheld:.0f} mm² that need support are kept clear of it and would hang in the air.", unheld=area_mm2
    ),
    "support.near_threshold": lambda pieces: tr(
        "{names}: more than 5 % of the surface is within 1° of the threshold, so small changes change the figures "
        "a lot.", names=", ".join(pieces),
    ),
    "piece.lost": _lost_piece,
    "recipe.cut_parts_nothing": lambda name, why: tr("“{name}” {what}.", name=name, what=why),
    "recipe.join_left_out": lambda problem: tr("{what} It was left out.", what=problem),
    "recipe.no_piece_to_seat": lambda name: (
        tr("There is no piece for the seat of “{name}”.", name=name) if name
        else tr("There is no piece for one of the seats.")
    ),
    "recipe.no_piece_to_hollow": lambda hollow: tr("There is no piece for hollow {id}.", id=hollow),
    "recipe.no_piece_for_posts": lambda posts: tr_many(
        "There is no piece for one post.",
        "There is no piece for {n} posts.", posts,
    ),
    "recipe.posts_off_surface": lambda posts, piece: tr_many(
        "One post is not on the surface of “{piece}” and was not made.",
        "{n} posts are not on the surface of “{piece}” and were not made.", posts, piece=piece,
    ),
    "recipe.posts_without_way": lambda posts, piece: tr_many(
        "One post has no route down beside “{piece}” and was not made.",
        "{n} posts have no route down beside “{piece}” and were not made.", posts, piece=piece,
    ),
}
"""For each code, the function that makes the sentence from the data."""
