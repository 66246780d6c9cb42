"""A sine driven into clipping, solved over its whole period at once: harmonic balance by Newton's method.

Where :mod:`nuvlo.circuit.periodic` repeats a Picard iteration, which holds only while a circuit stays nearly linear, here
the excess of every junction is solved for with exact slopes. The linear system is solved by GMRES on fast Fourier
transforms, and by dense elimination of the branches that bend where GMRES does not get there (S. Maas, *Nonlinear
Microwave and RF Circuits*, 2nd ed., chapter 3; K. Kundert, J. White, A. Sangiovanni-Vincentelli, *Steady-State Methods
for Simulating Analog and Microwave Circuits*, chapter 5; both from memory). The answer is the steady state itself:
coupling capacitors have all the time they need.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nuvlo import progress
from nuvlo.arrays import Array
from nuvlo.circuit.operating_point import OperatingPoint
from nuvlo.circuit.periodic import PeriodicSolver, TooNonlinear, harmonic_distortion

SAMPLES = 64  # in a period
SETTLED = 1e-5  # of the largest swing that the equations may be off
STEPS = 10  # of Newton
POOR, PATIENCE = 0.5, 1  # steps that leave more than half of the residual, and how many of them are borne
FORCING = 1e-3  # by which GMRES is to reduce the residual in each
KRYLOV = 60
BENT = 1e-9  # S, or S at the fundamental: slopes that differ less from those at rest are left out of the dense system
RATIO, FINEST = 1.6, 1.02  # from one level to the next at first, and how near is near enough


@dataclass(frozen=True)
class Onset:
    """Where distortion passes a limit: ``level`` V peak at the source, ``output`` V r.m.s. of the fundamental.

    The limit is passed within 2 % above them; ``followed`` is False where the wave there could not be solved, which a
    hard corner brings about too.
    """

    level: float
    output: float
    followed: bool


@dataclass(frozen=True)
class _State:
    """The equations at one guess of the swings: their residual, and the slopes beyond those at rest."""

    residual: Array  # (B, S) V
    current: Array  # (B, S) A beyond the linear
    charge: Array
    conductance: Array  # (E, S) beyond that at rest
    capacitance: Array


class Balance:
    """Harmonic balance of one member at one ``frequency`` Hz."""

    def __init__(self, point: OperatingPoint, source: str, nodes: tuple[str, ...], frequency: float) -> None:
        self.solver = PeriodicSolver.prepare(point, source, nodes, SAMPLES, SAMPLES * frequency)
        self.devices = point.equations.devices
        self.branches = self.devices.count
        self.rest, self.rest_v = point.evaluation, point.equations.branch_voltages(point.x)
        self.gmin = point.tolerances.gmin
        self.rows, self.columns = np.asarray(self.devices.rows, int), np.asarray(self.devices.columns, int)
        self.omega = 2j * np.pi * np.fft.rfftfreq(SAMPLES, 1.0 / (SAMPLES * frequency))
        self.inner = self.solver.from_branch[: self.branches]
        self.sine = np.sin(2.0 * np.pi * np.arange(SAMPLES) / SAMPLES)

    @property
    def at_rest(self) -> Array:
        """(B, S) no swing anywhere."""
        return np.zeros((self.branches, SAMPLES))

    def solve(self, level: float, start: Array) -> tuple[Array, Array]:
        """Swings (B, S) of the branches and waves (nodes, S) V for a sine of ``level`` V peak, from the swings ``start``.

        Raises :class:`TooNonlinear` where Newton's method does not settle: start nearer.
        """
        drive = self.solver.from_source * np.fft.rfft(level * self.sine)
        if not self.branches:
            return start, np.fft.irfft(drive, SAMPLES)
        linear = np.fft.irfft(drive[: self.branches], SAMPLES)
        swing = start
        state = self._state(swing, linear)
        poor = 0
        for _ in range(STEPS):
            progress.pause()
            if np.abs(state.residual).max() < SETTLED * max(1e-3, float(np.abs(swing).max())):
                excess = np.fft.rfft(state.current) + self.omega * np.fft.rfft(state.charge)
                waves = drive + np.einsum("obf,bf->of", self.solver.from_branch, excess)
                return swing, np.fft.irfft(waves[self.branches :], SAMPLES)
            step = self._newton_step(state)
            for share in 0.5 ** np.arange(6):
                tried = self._state(swing + share * step, linear)
                # Not '>=': a residual that is no number must shorten the step too.
                if np.linalg.norm(tried.residual) < (1 - 1e-4 * share) * np.linalg.norm(state.residual):
                    break
            else:
                break
            poor += bool(np.linalg.norm(tried.residual) > POOR * np.linalg.norm(state.residual))
            swing, state = swing + share * step, tried
            if poor > PATIENCE:
                break
        raise TooNonlinear("the wave cannot be followed from here")

    def _back(self, current: Array, charge: Array) -> Array:
        """(B, S) V that currents (B, S) and charges in the branches bring about in them."""
        excess = np.fft.rfft(current) + self.omega * np.fft.rfft(charge)
        return np.asarray(np.fft.irfft(np.einsum("obf,bf->of", self.inner, excess), SAMPLES))

    def _state(self, swing: Array, linear: Array) -> _State:
        with np.errstate(over="ignore", invalid="ignore"):
            found = self.devices.evaluate(self.rest_v + swing, self.gmin, charges=True)
            current, charge = found.current - self.rest.current, found.charge - self.rest.charge
            g0, c0 = (np.stack([np.broadcast_to(x, (1,)) for x in of])[:, :1]
                      for of in (self.rest.conductance, self.rest.capacitance))  # fmt: skip
            np.subtract.at(current, self.rows, g0 * swing[self.columns])
            np.subtract.at(charge, self.rows, c0 * swing[self.columns])
            residual = linear + self._back(current, charge) - swing
            g, c = (np.stack([np.broadcast_to(x, (SAMPLES,)) for x in of])
                    for of in (found.conductance, found.capacitance))  # fmt: skip
        return _State(residual, current, charge, g - g0, c - c0)

    def _newton_step(self, state: _State) -> Array:
        from scipy.sparse.linalg import LinearOperator, gmres

        def times(x: Array) -> Array:
            step = x.reshape(self.branches, SAMPLES)
            return np.asarray((step - self._brought_about(state, step)).ravel())

        size = self.branches * SAMPLES
        found, left = gmres(
            LinearOperator((size, size), matvec=times), state.residual.ravel(), rtol=FORCING, restart=KRYLOV, maxiter=1
        )
        return self._dense_step(state) if left else np.asarray(found.reshape(self.branches, SAMPLES))

    def _dense_step(self, state: _State) -> Array:
        """The same by elimination, of the swings of branches whose slopes bend; the others follow from them."""
        wave = np.abs(self.omega[1])
        bent = np.maximum(np.abs(state.conductance), wave * np.abs(state.capacitance)).max(axis=1) > BENT
        entries = np.flatnonzero(bent)
        active = np.unique(self.columns[entries])
        lag = (np.arange(SAMPLES)[:, None] - np.arange(SAMPLES)) % SAMPLES
        # Volts at one sample for a unit of current, or of charge, at another.
        by_current = np.fft.irfft(self.inner, SAMPLES)
        by_charge = np.fft.irfft(self.inner * self.omega, SAMPLES)
        effect = np.zeros((active.size, SAMPLES, active.size, SAMPLES))
        for e in entries:
            progress.pause()
            k = int(np.searchsorted(active, self.columns[e]))
            row = self.rows[e]
            effect[:, :, k] += by_current[active, row][:, lag] * state.conductance[e]
            effect[:, :, k] += by_charge[active, row][:, lag] * state.capacitance[e]
        size = active.size * SAMPLES
        try:
            inner = np.linalg.solve(np.eye(size) - effect.reshape(size, size), state.residual[active].ravel())
        except np.linalg.LinAlgError as singular:
            raise TooNonlinear("the wave cannot be followed from here") from singular
        known = np.zeros_like(state.residual)
        known[active] = inner.reshape(active.size, SAMPLES)
        return state.residual + self._brought_about(state, known)

    def _brought_about(self, state: _State, step: Array) -> Array:
        """(B, S) V that a step of the swings brings about by slopes beyond those at rest."""
        current, charge = np.zeros_like(step), np.zeros_like(step)
        np.add.at(current, self.rows, state.conductance * step[self.columns])
        np.add.at(charge, self.rows, state.capacitance * step[self.columns])
        return self._back(current, charge)


def onset(
    point: OperatingPoint, source: str, node: str, limit: float, frequency: float, first: float, last: float
) -> Onset | None:
    """Where the distortion of a sine at ``node`` passes ``limit`` (a fraction), between ``first`` and ``last`` V peak at
    ``source``; None where it does not, or does at ``first`` already."""
    balance = Balance(point, source, (node,), frequency)
    swing, at, clean = balance.at_rest, 0.0, None
    level, over, followed = first, np.inf, True  # 'over': the lowest level too high for the limit, or to be followed
    while level <= last:
        progress.pause(f"{level:.3g} V at the input")
        try:
            tried, waves = balance.solve(level, swing)
        except TooNonlinear:
            over, followed = level, False
        else:
            if harmonic_distortion(waves)[0] <= limit:
                swing, at, clean = tried, level, waves
            else:
                over, followed = level, True
        if clean is None:
            return None
        if over / at < FINEST:
            return Onset(at, float(np.abs(np.fft.rfft(clean[0])[1]) * np.sqrt(2.0) / SAMPLES), followed)
        level = min(at * RATIO, float(np.sqrt(at * over)))
    return None
