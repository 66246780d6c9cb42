"""How likely what was read is under each mistake, and what a meter would show next.

What a reading tells is the density of what was read under each mistake: a multivariate Student distribution about the mean of its draws, with
their covariance, its correlations drawn towards those of the good unit, since they are known from a few draws only, and with the uncertainty
of the meter (K. L. Lange, R. J. A. Little, J. M. G. Taylor, "Robust statistical modeling using the t distribution", J. Am. Stat. Assoc. 84,
1989; O. Ledoit, M. Wolf, J. Multivariate Analysis 88, 2004). A look shows what is wrong, or not, with a chance of its kind.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from nuvlo.arrays import Array
from nuvlo.diagnosis.densities import along_lines, by_itself, given, given_along, together
from nuvlo.diagnosis.probes import BOARD, CLOSE, COLD, OVER, WHOLE
from nuvlo.diagnosis.table import FALSE_ALARM, Table
from nuvlo.measurement import Observable
from nuvlo.model.working import BETWEEN_METERS
from nuvlo.quantity import Measured

LOOKED_TWICE = 0.05  # of its false alarms, that are left when it was looked at once more (common practice, no source)
SEEN_ANYWAY = 0.1  # that a look finds fault where something unknown is wrong
TOUCHED = (0.1, 0.6)  # of the readings, that something unknown besides moves: few, or most
DIED = 0.2  # that what a mistake hurts has died by the time it is read (common practice, no source)
MOST_BEYOND = 6.0  # doubts of the meter that a reading counts as beyond the end of what tolerances make of it
OTHER_METERS = math.log(BETWEEN_METERS)  # nepers, to the least that a meter shows which is none of those that were tried
LEFT = 0.01  # at least, of the variance of a reading, however much others tell of it


def likelihoods(t: Table, taken: Mapping[Observable, Measured]) -> tuple[Array, Array, Array]:
    """Logarithm of the density of what was read under each state of the good unit and the mistakes (states,); the same with every reading
    by itself, as if none told of another; and that with something unknown besides, which may touch any reading."""
    mean = t.seen[0]
    rows, y, doubt = t.read(taken)
    looks, also = _seen(t, taken)
    if not rows:
        return looks, looks, also
    about = t.covariance(rows, rows)
    k = np.arange(len(rows))
    own, middle = about[:, k, k].copy(), mean[rows]
    # Where a good unit has a junction in the way and so has another, only less than any meter shows of a good one tells for that.
    either = t.junctions[rows] & t.junctions[rows, :1] & (y >= t.lows[rows, 0])[:, None]
    before, middle, own = own, np.where(either, middle[:, :1], middle), np.where(either.T, own[:1], own)
    by = np.sqrt(own / np.where(before > 0, before, 1.0))
    about *= by[:, :, None] * by[:, None, :]
    about[:, k, k] = own + doubt**2
    away = y - middle.T
    known = _followed(t, rows, y, doubt, together(away, about))
    each = _beyond(t, rows, y, doubt)
    beyond = each.max(axis=1)  # readings go together, so the worst counts, once
    known -= beyond
    # By themselves under each, and as far apart as all of them are: what another mistake besides may make of a reading.
    apart = t.apart[rows]
    mine = by_itself(away, np.sqrt(own + doubt**2))
    any_ = by_itself(y - apart[:, 0], np.maximum(apart[:, 1], 3 * doubt))
    moves = t.moves[rows].T  # and what those of them make of it that move it
    any_ = np.logaddexp(any_, np.log(np.maximum((moves * np.exp(mine)).sum(axis=0), 1e-300))) - math.log(2.0)
    # What a part has died of may by now read otherwise than it did: what was read under power may be anything then.
    powered = np.array([t.readings[k].quantity not in COLD for k in rows])
    cold, hurt = np.flatnonzero(~powered), np.flatnonzero(t.hurts)
    if powered.any() and hurt.size:
        died = any_[powered].sum() + (together(away[np.ix_(hurt, cold)], about[np.ix_(hurt, cold, cold)]) if cold.size else 0.0)
        known[hurt] = np.logaddexp(math.log1p(-DIED) + known[hurt], math.log(DIED) + died)
    # It moves a reading as often as what is known to go wrong does: the volts of a supply seldom.
    touches = t.reach[rows] / t.reach.max() if t.reach.any() else np.ones(len(rows))
    both = [np.logaddexp(mine - each + np.log1p(-touched * touches), any_ + np.log(np.maximum(touched * touches, 1e-300))).sum(axis=1) for touched in TOUCHED]
    return known + looks, mine.sum(axis=1) - beyond + looks, np.logaddexp.reduce(both) - math.log(len(both)) + also


def _ways(t: Table, rows: list[int], y: Array, some: slice | NDArray[np.intp] = slice(None)) -> tuple[Array, Array, NDArray[np.bool_]]:
    """How far what was read lies from each of these points (rows, K, points), their reach along the line, and which have a solution."""
    here, along = (part[rows][:, some] for part in t.points)
    there = np.asarray(np.isfinite(here + along).all(axis=0))
    return np.where(there, y[:, None, None] - here, 0.0), np.where(there, along, 0.0), there


def _of_good(t: Table, rows: list[int], doubt: Array) -> Array:
    """(rows, rows) how readings of a good unit go together, with the meter's doubt; what lies behind a junction with nothing."""
    own, told = (t.seen[1][rows, 0] ** 2).mean(axis=1), ~t.junctions[rows, 0]
    wide = np.sqrt(own) * told
    out: Array = t.related[np.ix_(rows, rows)] * np.outer(wide, wide) + np.diag(own * ~told + doubt**2)
    return out


def expected(t: Table, asked: NDArray[np.intp], states: NDArray[np.intp], taken: Mapping[Observable, Measured]) -> tuple[Array, Array]:
    """Middle and variance (asked, states) of what a meter would show under each state, by what it showed so far. Mistakes that come to more or
    less have come as far as that says."""
    mean, off = t.seen
    middle, own = mean[np.ix_(asked, states)], (off[np.ix_(asked, states)] ** 2).mean(axis=2)
    rows, y, doubt = t.read(taken)
    if not rows:
        return middle, own
    about = t.covariance(rows, rows, states)
    k = np.arange(len(rows))
    about[:, k, k] += doubt**2
    shift, less = given((y[:, None] - mean[rows][:, states]).T, about, t.covariance(asked.tolist(), rows, states))
    middle, left = middle + shift.T, np.maximum(own - less.T, LEFT * own)
    some, at = np.nonzero(np.equal.outer(t.courses[0], states))
    if some.size:
        away, along, there = _ways(t, rows, y, some)
        here, beside = (part[np.ix_(asked, some)] for part in t.points)
        spread = _of_good(t, rows, doubt)
        also = _of_good(t, [*asked.tolist(), *rows], np.zeros(asked.size + len(rows)))[: asked.size, asked.size :]
        known = there & np.isfinite(here + beside)  # of what has no solution at some point, by the others; with none, by its mean
        here, beside = np.where(known, here, 0.0), np.where(known, beside, 0.0)
        told = np.where(there, along_lines(away, along, spread), -np.inf)
        chance = known * np.exp(told - np.where(there.any(axis=1), told.max(axis=1), 0.0)[:, None])
        total = chance.sum(axis=2)
        chance /= np.where(total > 0, total, 1.0)[..., None]
        shift, less, further = given_along(away, along, spread, also, beside)
        found = (chance * (here + shift)).sum(axis=2)
        good = (off[asked, 0] ** 2).mean(axis=1)
        wide = np.maximum(good - less, LEFT * good)[:, None] + (chance * ((here + shift - found[..., None]) ** 2 + further)).sum(axis=2)
        middle[:, at], left[:, at] = np.where(total > 0, found, middle[:, at]), np.where(total > 0, wide, left[:, at])
    return middle, left


def _followed(t: Table, rows: list[int], y: Array, doubt: Array, known: Array) -> Array:
    """``known`` (states,), what was read under each, with those that come to more or less followed to where they explain it best: at what was
    drawn, and anywhere on the straight line from one to the next, which is as if there were so much more doubt along it."""
    some, _ = t.courses
    if not some.size:
        return known
    away, along, there = _ways(t, rows, y)
    found = along_lines(away, along, _of_good(t, rows, doubt))
    share = np.repeat([0.5 / t.draws, 0.5 / (t.draws - 1)], [t.draws, t.draws - 1])
    best = np.logaddexp.reduce(np.where(there, found, -np.inf) + np.log(share), axis=1)
    out = known.copy()
    out[some] = np.logaddexp(known[some], best) - math.log(2.0)
    return out


def _beyond(t: Table, rows: list[int], y: Array, doubt: Array) -> Array:
    """(states, rows) what is taken off states that leave a reading alone which lies beyond all that tolerances make of it: these have an end."""
    low, high = t.ends
    off = np.maximum(np.maximum(low[rows] - y, y - high[rows]), 0.0) / doubt
    alone = t.left_alone[rows]
    beyond = np.where(alone, np.nan_to_num(off)[:, None], 0.0)
    # Through a junction anything may be read, but less than any meter shows, or more.
    under = np.maximum(np.maximum(t.least[rows] - y[:, None], y[:, None] - t.most[rows]) - OTHER_METERS, 0.0) / doubt[:, None]
    out: Array = np.minimum(np.maximum(beyond, under), MOST_BEYOND).T ** 2 / 2
    return out


def _seen(t: Table, taken: Mapping[Observable, Measured]) -> tuple[Array, Array]:
    """The same of what was looked at: 1 where something was wrong, 0 where all looked right. Of what was looked at by itself a look at the
    whole board says no more, nor one in passing of what was looked at closely."""
    out, also = np.zeros(t.states.size), np.zeros(t.states.size)
    twice = any(of.quantity in WHOLE and shown.value > 0.5 for of, shown in taken.items())  # and then looked at once more
    for row in np.flatnonzero(t.looked):
        of = t.readings[row].of
        if of in taken and not (of.quantity == OVER and Observable(BOARD, CLOSE) in taken):
            found, shows = taken[of].value > 0.5, t.shows[row, t.states]
            if found and twice and of.quantity == "look":
                shows = np.where(shows > FALSE_ALARM, shows, FALSE_ALARM * LOOKED_TWICE)
            if of.quantity in WHOLE:
                found, shows = False, np.where(looked_at(t, taken)[t.states], 0.0, shows)
            besides = np.maximum(shows, SEEN_ANYWAY)
            out += np.log(shows if found else 1.0 - shows)
            also += np.log(besides if found else 1.0 - besides)
    return out, also


def looked_at(t: Table, taken: Mapping[Observable, Measured]) -> NDArray[np.bool_]:
    """(1 + mistakes,): whether one of its parts was looked at by itself."""
    return np.array([False, *(any(Observable(ref, "look") in taken for ref in m.refs) for m in t.mistakes)])
