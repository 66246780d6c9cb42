"""Commands that read, turn, sweep and hand over."""

from __future__ import annotations

from nuvlo.bench_line import Command
from nuvlo.commands.reply import Reply, verdict_words
from nuvlo.commands.unpack import Unpacking
from nuvlo.instruments import InstrumentError
from nuvlo.kit import Stage
from nuvlo.logbook import (
    CurveTaken,
    Exported,
    ReadingTaken,
    TrimmerTurned,
)  # fmt: skip
from nuvlo.model import Task, Wants
from nuvlo.problems import Problem
from nuvlo.quantity import Measured
from nuvlo.session import Refused, Solved
from nuvlo.stages import hook_up, prove


class AtTheBench(Unpacking):
    """Commands that read, turn, sweep and hand over."""

    def reading(self, command: Command) -> Reply:
        assert command.value is not None
        return self._reading(command.target, command.quantity, command.value, "typed")

    def _reading(self, point: str, quantity: str, value: Measured, instrument: str) -> Reply:
        stage = self.s.stage
        if value.unit == "Ω" and point != hook_up.LEADS:
            leads = self.s.build.latest(hook_up.LEADS, "resistance")
            if leads is not None:
                value = Measured(max(0.0, value.value - leads.measured.value), value.uncertainty, value.unit)
        solved = self.s.solved(stage)
        window = solved.windows.get((point, quantity)) if solved and solved.key == self.s.key(stage) else None
        expected = (window.nominal, window.low, window.high) if window else None
        self.s.record(
            ReadingTaken(point=point, quantity=quantity, value=value.value, uncertainty=value.uncertainty, unit=value.unit,
                         stage=stage.value, instrument=instrument, expected=expected)
        )  # fmt: skip
        f = next((f for f in self.s.findings(stage) if f.task.target == point and f.task.quantity == quantity), None)
        return Reply(verdict_words(f, point, value))

    def turn(self, command: Command) -> Reply:
        if self.s.bench is not None:
            self.s.bench.turn(command.target, command.degrees)
        self.s.record(TrimmerTurned(ref=command.target, degrees=command.degrees))
        return Reply(command.echo + ".")

    def _turn_as_advised(self) -> Reply:
        self.settle_if_simple()
        solved = self.s.solved(Stage.SET)
        advice = solved.advice if solved else None
        if advice is None or solved is None or solved.key != self.s.key(Stage.SET):
            raise Refused(Problem("the advice is still being worked out.", "Wait a moment."))
        if not advice.degrees:
            raise Refused(Problem(advice.words, ""))
        degrees = float(round(advice.degrees)) or (1.0 if advice.degrees > 0 else -1.0)
        way = "clockwise" if degrees > 0 else "anticlockwise"
        return self.turn(Command("turn", f"{advice.trim.trimmer} turned {abs(degrees):g}° {way}", advice.trim.trimmer,
                                     degrees=degrees))  # fmt: skip

    def settle_if_simple(self) -> None:
        """Advice is quick to solve once; do it where it is missing."""
        if self.s.wants_solving(Stage.SET):
            self.s.adopt(self.s.solve(Stage.SET))

    def read(self, _command: Command) -> Reply:
        f = self.s.now()
        if f is None:
            raise Refused(Problem("there is nothing to read.", ""))
        task = f.task
        if task.wants not in (Wants.MEASURE, Wants.READING, Wants.SWEEP):
            raise Refused(Problem("no reading is asked for here.", ""))
        if self.s.bench is None and task.wants is Wants.SWEEP:
            return self.sweep(_command)
        if self.s.bench is None:
            raise Refused(Problem(f"no instrument is connected: type what {task.target} reads.", "For example: 4.48"))
        if task.wants is Wants.SWEEP:
            return self._sweep()
        if task.wants is Wants.MEASURE:
            return self._measured(task.target, self.s.bench.part(task.target), self.s.bench.name)
        return self._reading(task.target, task.quantity, self._instrument(task), self.s.bench.name)

    def _instrument(self, task: Task) -> Measured:
        assert self.s.bench is not None
        if task.target == hook_up.LEADS:
            return self.s.bench.leads()
        if task.quantity == "current":
            return self.s.bench.supply_current(task.target)
        node = task.nodes[0]
        return self.s.bench.ohms(node) if task.quantity == "resistance" else self.s.bench.volts(node)

    def sweep(self, _command: Command) -> Reply:
        if self.s.bench is None:
            raise Refused(
                Problem("no audio interface is connected.", "Measure the gain and type it, as in 'gain 41.5'.")
            )
        return self._sweep()

    def _unless_stopped(self) -> None:
        if self.s.stopping.is_set():
            raise Refused(Problem("the sweep was stopped; nothing of it was kept.", "Space starts it again."))

    def _sweep(self) -> Reply:
        """Sweep at a level that keeps every stage clean, and keep the response and the gain."""
        wanted = self.s.kit.info.prove
        assert wanted is not None
        assert self.s.bench is not None
        self.s.stopping.clear()
        model = self.s.working_model()
        level = model.clean_level()
        self._unless_stopped()
        if not level > 0:
            raise InstrumentError(Problem("no level keeps this unit clean.", "Check its bias first."))
        played = prove.log_sweep(wanted.from_hz, wanted.to_hz, level)
        recording = self.s.bench.play_and_record(played, prove.RATE)
        self._unless_stopped()
        band = model.response_band
        db = prove.measured_response(played, recording.signal, recording.rate, band.frequency)
        curve = CurveTaken(
            name="response", frequency=tuple(band.frequency.tolist()), magnitude_db=tuple(db.tolist()),
            uncertainty_db=recording.uncertainty_db, level=level, instrument=self.s.bench.name,
        )  # fmt: skip
        proof = prove.judge_curve(curve, band, wanted.reference_hz)
        gain = ReadingTaken(
            point="gain", quantity="gain", value=proof.gain_db, uncertainty=recording.uncertainty_db, unit="dB",
            stage=Stage.PROVE.value, instrument=self.s.bench.name,
            expected=((proof.gain_low + proof.gain_high) / 2, proof.gain_low, proof.gain_high),
        )  # fmt: skip
        self._unless_stopped()
        self.s.record(curve, gain)
        self.s.adopt(Solved(self.s.key(Stage.PROVE), Stage.PROVE, band=band, proof=proof))
        return Reply(proof.words)

    def sheet(self, _command: Command) -> Reply:
        pdf = self.s.write_sheet()
        self.s.record(Exported(file=pdf.name))
        return Reply(f"Written: {pdf.name} and {pdf.stem}.csv in {self.s.workshop.sheets.name}/.", "sheet")
