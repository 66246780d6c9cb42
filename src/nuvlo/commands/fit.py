"""Commands of Fit and its calendar: clocks, joints, rework, pictures."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.reply import Handlers, Reply
from nuvlo.logbook import BoardPictured, JointMarked, PartReworked, PhotoKept, StepBegun
from nuvlo.problems import Problem
from nuvlo.session import Refused
from nuvlo.stages.fit import MANY_HEATS, reopened
from nuvlo.stages.fit.joints import BAD


class Fitting(Handlers):
    """Commands of Fit and its calendar."""

    def begin(self, _command: Command) -> Reply:
        """The clock of the step in hand runs."""
        f = self.s.now()
        craft = next((c for c in self.s.kit.info.craft if f and f.task.id == f"fit.craft.{c.id}"), None)
        if f is None or craft is None or not craft.open_minutes:
            raise Refused(Problem("nothing here is against the clock.", "'begin' is for glue that is spread."))
        self.s.record(StepBegun(step=f.task.id))
        return Reply(f"{craft.title}: the glue stays open about {craft.open_minutes:g} minutes from now.")

    def joint(self, command: Command) -> Reply:
        """A joint is bad, or was put right."""
        self.s.record(JointMarked(joint=command.target, mark=command.text))
        ref = command.target.partition(".")[0]
        often = self.s.build.heats.get(ref, 0)
        heated = f" {ref} was heated {often} times by now; pads lift." if often >= MANY_HEATS else ""
        words = (
            "is put right"
            if command.text not in BAD
            else f"is {'bridged' if command.text == 'bridge' else command.text}"
        )
        return Reply(f"{command.target} {words}.{heated}", ref)

    def rework(self, command: Command) -> Reply:
        """Parts were taken off, or re-heated: the checks made on them no longer hold."""
        refs = tuple(command.target.split())
        off = command.text.startswith("off")
        _, _, why = command.text.partition(" because ")
        again = reopened(self.s.kit, self.s.build, refs, off)
        readings = len(self.s.build.readings)
        self.s.record(
            *(PartReworked(ref=ref, what="off" if off else "hot", reopened=again, why=why.strip()) for ref in refs)
        )
        lost = readings - len(self.s.build.readings)
        said = [f"{', '.join(refs)} {'off' if off else 're-heated'}", f"{len(again)} steps are open again"]
        said += [f"{lost} readings no longer hold"] if lost else []
        often = [ref for ref in refs if self.s.build.heats.get(ref, 0) >= MANY_HEATS]
        said += [f"{', '.join(often)}: heated {MANY_HEATS} times or more, pads lift"] if often else []
        return Reply("; ".join(said) + ".", refs[0])

    def photo(self, command: Command) -> Reply:
        """Keep a picture with the step in hand."""
        file, _, says = command.text.partition(" ")
        path = self.s.workshop.found(file)
        f = self.s.now()
        kept = self.s.workshop.keep_picture(path)
        self.s.record(PhotoKept(file=kept, step=f.task.id if f else "", says=says.strip()))
        return Reply(f"{path.name} is kept with '{f.task.title if f else 'the build'}'.")

    def review(self, _command: Command) -> Reply:
        """Write the sheet on which someone else looks over the joints."""
        path = self.s.write_review()
        return Reply(f"Written: {path.name} in {path.parent.name}/. Hand it to someone who has not soldered this.")

    def pictured(self, command: Command) -> Reply:
        """A picture lies beneath one side of the map, aligned by two pads; without text it is taken away."""
        if not command.text:
            self.s.record(BoardPictured(file="", side=command.target))
            return Reply("The picture is taken away.")
        file, ref_a, pin_a, ax, ay, ref_b, pin_b, bx, by = command.text.split("|")
        first, second = (f"{ref_a}.{pin_a}", float(ax), float(ay)), (f"{ref_b}.{pin_b}", float(bx), float(by))
        self.s.record(BoardPictured(file=file, side=command.target, first=first, second=second))
        return Reply("The picture lies beneath the map.")

    def tonight(self, command: Command) -> Reply:
        from nuvlo.schedule import fits

        return Reply(fits(self.s, float(command.text)))
