"""A kit as it is to be put together: which parts go in and in which groups, what is mounted, wired, screwed down and plugged in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from nuvlo.kit.kinds import kind_of
from nuvlo.kit.kit import Kit
from nuvlo.kit.parts import Part

Event = tuple[str, str]  # a verb, and the reference, section or nothing that it is done to

LAST, DELICATE = ("knob", "battery"), ("capsule",)  # kinds


@dataclass(frozen=True)
class Plan:
    """A kit as it is to be put together: which parts go in, in which groups they are made fast, which are plugged in last.

    ``groups`` are references in order; ``tested`` the sections that are tested by themselves.
    """

    kit: Kit
    groups: tuple[tuple[str, ...], ...]
    plugged: tuple[str, ...] = ()
    tested: tuple[str, ...] = ()
    manual: bool = False  # semiconductors early, whatever they mind
    wires: tuple[str, ...] = ()  # pads at which wires end
    posts: bool = True  # wires go to posts, and not straight into the board
    points: Mapping[str, tuple[str, ...]] = field(default_factory=dict)  # of the kit, by the section that brings them to life

    @property
    def fitted(self) -> list[str]:
        """References of everything that is soldered to the board."""
        return [ref for group in self.groups for ref in group]

    def part(self, ref: str) -> Part:
        return self.kit.parts[ref]

    def together(self, ref: str, other: str) -> bool:
        """Whether two parts are soldered before anything is tested between them: in one section, where sections are tested."""
        return not self.tested or self.part(ref).section == self.part(other).section

    @property
    def mounted(self) -> list[str]:
        """Parts of the panel or the case that no board holds, but for what goes in at the very end."""
        return [ref for ref in self._off_board if self.part(ref).kind not in (*LAST, *DELICATE)]

    @property
    def delicate(self) -> list[str]:
        """What is mounted once all else is known to be right: it is dear, and breath or a slip of the iron spoils it."""
        return [ref for ref in self._off_board if self.part(ref).kind in DELICATE]

    def last(self, kind: str) -> list[str]:
        """Knobs, or batteries."""
        return [ref for ref in self._off_board if self.part(ref).kind == kind]

    @property
    def _off_board(self) -> list[str]:
        return [
            p.ref
            for p in self.kit.parts.values()
            if not p.on_board
            and kind_of(p.kind).mounted
            and not p.asked
            and not kind_of(p.kind).encloses
            and p.ref not in self.plugged
        ]

    @property
    def on_tags(self) -> dict[str, str]:
        """Parts that are soldered to the tags of a mounted one, and to which."""
        return {ref: to for ref, to in self.kit.on_tags.items() if ref in self.fitted}

    @property
    def late(self) -> list[str]:
        """What is soldered when the board has been washed: to tags, and pots, jacks and switches, which a wash would spoil."""
        return [ref for ref in self.fitted if ref in self.on_tags or self.part(ref).through_panel]

    @property
    def boarded(self) -> list[str]:
        """What is soldered to the board before that."""
        late = set(self.late)
        return [ref for ref in self.fitted if ref not in late]

    @property
    def through_panel(self) -> list[str]:
        return [ref for ref in self.fitted if self.part(ref).through_panel]

    @property
    def powered(self) -> bool:
        """Whether anything is ever switched on."""
        return bool(self.kit.info.supply) or bool(self.plugged)

    @property
    def early(self) -> list[Event]:
        """What goes in before the parts that tower over it: the posts for wires, where any do."""
        return [("posts", "")] if self.wires and self.posts and self.fitted else []

    @property
    def washed(self) -> bool:
        """Whether there is a board to wash."""
        return bool(self.fitted) and self.kit.info.work.wash

    @property
    def baked(self) -> bool:
        """Whether it is dried in an oven."""
        return self.kit.info.work.bake and self.washed

    @property
    def cased(self) -> dict[str, str]:
        """Parts of the board whose tab is screwed to what is no part of it, the case as a rule, and to what."""
        sinks = (r for r in self.kit.info.relation if r.how == "sink" and r.part in self.fitted and r.to not in self.fitted)
        return {r.part: r.to for r in sinks}

    @property
    def insulated(self) -> set[str]:
        """Parts with something under them that insulates."""
        return {r.part for r in self.kit.info.relation if r.how == "insulate"}

    @property
    def heated(self) -> set[str]:
        """Sockets that have heater wires."""
        return {end.partition(".")[0] for w in self.kit.ringing.heaters for end in w.ends}

    @property
    def heaters(self) -> bool:
        """Whether heater wires lie under what hangs on the tags of valve sockets."""
        return any(to in self.heated for to in self.on_tags.values())

    @property
    def trimmed(self) -> bool:
        """Whether anything is trimmed once it is powered."""
        return self.powered and any(p.kind == "trimmer" for p in self.kit.parts.values())

    @property
    def wired(self) -> bool:
        """Whether wires go from the board, or from tags, to what is mounted."""
        return bool(self.kit.wires or (self.mounted and any(p.kind == "wire" for p in self.kit.parts.values())))

    @property
    def live_next(self) -> list[Event]:
        """What comes when everything is in its place and sound: the wires, or where there are none the first power."""
        return [("wire", "")] if self.wired else list(POWER[: self.powered])

    @property
    def finished(self) -> list[Event]:
        """What is done to a powered unit before the readings are repeated for the last time."""
        out: list[Event] = [("set", "")] if self.trimmed else []
        out += [("delicate", ref) for ref in self.delicate]
        return out + [("battery", ref) for ref in self.last("battery")]

    @property
    def has_case(self) -> bool:
        return any(p.kind == "case" for p in self.kit.parts.values())


def has_value(part: Part) -> bool:
    """Whether it can be the wrong one of several that look alike."""
    return bool(part.unit) or kind_of(part.kind).typed


POWER: tuple[Event, ...] = (("power", ""),)
