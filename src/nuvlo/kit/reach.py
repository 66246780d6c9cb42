"""What a builder's meter reads of AC volts: up to some frequency, and from some volts. A tone beyond is moved to where it is read, or waits."""

from __future__ import annotations

from dataclasses import replace

from nuvlo.kit.kit import Kit, Reach
from nuvlo.kit.schema import Tone
from nuvlo.quantity import format_value

NEAR = 0.3  # share of a frequency from where another tone tells about the same


def within(kit: Kit, reach: Reach) -> Kit:
    """The kit with its tones as this meter reads them. One that is too high is played as high as the meter is good for, unless another tells about
    the same there already: then it waits for a better meter, or for Prove's sweep."""
    written = kit.written or kit.info.tone
    tones: list[Tone] = []
    waiting: list[Tone] = []
    for tone in written:
        there = [t.hertz for t in (*tones, *written) if t.hertz <= reach.hertz and _place(t) == _place(tone)]
        if tone.hertz <= reach.hertz:
            tones.append(tone)
        elif any(hertz >= NEAR * reach.hertz for hertz in there):
            waiting.append(tone)
        else:
            said = f"{format_value(tone.hertz, 'Hz')} as the kit has it, {format_value(reach.hertz, 'Hz')} for this meter"
            tones.append(tone.model_copy(update={"hertz": reach.hertz, "says": f"{tone.says} ({said})" if tone.says else said}))
    return replace(kit, info=kit.info.model_copy(update={"tone": tuple(tones)}), written=written, waiting=tuple(waiting), reach=reach, memory={})


def _place(tone: Tone) -> tuple[str, str, str, str, str, bool]:
    return tone.source, tone.at, tone.node, tone.reference, tone.setup, tone.common
