"""Closed forms beside which every recipe is held: (what it finds, what the formula gives, how far they may differ).

A difference is relative, or absolute in dB. Where no source is named the formula is Ohm's, Kirchhoff's or that of one pole.
Sources, from memory: crossovers and pads, V. Dickason, Loudspeaker Design Cookbook; boxes, R. H. Small and D. B. Keele, J. Audio
Eng. Soc.; active filters, R. P. Sallen and E. L. Key, IRE Trans. CT-2, 1955, with Butterworth's poles; valves, F. Langford-Smith,
Radio Designer's Handbook; record equaliser, IEC 60098; phantom supply, IEC 61938; loudspeaker ratings, IEC 60268-5.
"""

from math import hypot, log, log10, pi, sqrt

ROOT2 = sqrt(2)


def db(x):
    return 20 * log10(x)


def par(*r):
    return 1 / sum(1 / x for x in r)


def ladder(order, f, r):
    """Singly terminated high-pass elements from the source: continued fractions of the polynomials."""
    w = 2 * pi * f
    low = {1: [1.0], 2: [2.0, 0.5], 3: [1.5, 4 / 3, 0.5], 4: [1.8856, 1.5910, 0.9428, 0.3536]}[order]
    return [1 / (g * w * r) if k % 2 == 0 else r / (g * w) for k, g in enumerate(low)]


def crossover(order):
    names = ["c1", "l1", "c2", "l2"][:order]
    at = -6.02 if order in (2, 4) else -3.01

    def check(g, r):
        return [(r["at_corner"], at, 0.6), *((r[n], v, 0.35) for n, v in zip(names, ladder(order, g["corner"], g["load"]), strict=True))]

    return check


def butterworth(kind, order):
    qs = {2: [1 / ROOT2], 3: [1.0], 4: [0.5412, 1.3066]}[order]

    def check(g, r):
        w, c = 2 * pi * g["corner"], g["base"]
        out = [(r["corner_at"], g["corner"], 0.05), (r["octave"], -10 * log10(1 + 4**order), 1.0)]
        k = 1
        if order == 3:
            out.append((r["r1"], 1 / (w * c), 0.11))
            k = 2
        for q in qs:
            if kind == "high":  # two like capacitors: R = 1/(2QωC) above, 2Q/(ωC) below
                out += [(r[f"r{k}"], 1 / (2 * q * w * c), 0.08), (r[f"r{k + 1}"], 2 * q / (w * c), 0.08)]
            else:  # two like resistors: C = 4Q²C above
                out += [(r[f"c{k}"], 4 * q * q * c, 0.26), (r[f"r{k}"], 1 / (2 * q * w * c), 0.13)]
            k += 2
        return out

    return check


def pad(g, r):
    shunt = par(r["shunt"], g["load"])
    direct = g["load"] / (g["source"] + g["load"])
    return [(r["loss"], db(direct) - db(shunt / (g["source"] + r["series"] + shunt)), 0.01), (r["loss"], g["db"], 0.6),
            (r["sees"], r["series"] + shunt, 1e-3)]  # fmt: skip


def t_pad(halves):
    def check(g, r):
        k, z = 10 ** (g["db"] / 20), g["line"]
        return [(r["loss"], g["db"], 0.4), (halves * r["arm"], z * (k - 1) / (k + 1), 0.1), (r["shunt"], 2 * z * k / (k * k - 1), 0.1),
                (r["seen"], z, 0.06)]  # fmt: skip

    return check


def l_pad(g, r):
    z, k = g.get("driver") or g["load"], 10 ** (g["db"] / 20)
    lower = par(r["shunt"], z)
    volts = sqrt(g["watts"] * z)
    amps = volts / (r["series"] + lower)
    return [(r["series"], z * (k - 1) / k, 0.13), (r["shunt"], z / (k - 1), 0.2), (r["heat"], amps**2 * r["series"], 1e-3),
            (r["heat_shunt"], (amps * lower) ** 2 / r["shunt"], 1e-3), (r["seen"], z, 0.1)]  # fmt: skip


def closed_box(g, r):
    rise = sqrt(1 + g["vas"] / r["litres"])
    q, f = g["qts"] * rise, g["fs"] * rise
    x = 1 / (2 * q * q) - 1
    return [(r["qtc"], q, 0.02), (r["fc"], f, 0.02), (r["corner"], f * sqrt(x + sqrt(x * x + 1)), 0.03)]


def vented_box(g, r):
    """Keele's fits to the alignments without loss; ours has some, so they are only near."""
    area, volume = pi * (g["bore"] / 2000) ** 2, r["litres"] / 1000
    length = 343**2 * area / ((2 * pi * r["tuning"]) ** 2 * volume) - 1.46 * g["bore"] / 2000
    return [(r["port"], 1000 * length, 0.01), (r["litres"], 15 * g["qts"] ** 2.87 * g["vas"], 1.6),
            (r["tuning"], 0.42 * g["fs"] / g["qts"] ** 0.9, 0.65), (r["corner"], 0.26 * g["fs"] / g["qts"] ** 1.4, 0.3)]  # fmt: skip


def passive_box(g, r):
    return [(r["tuning"], r["resonance"] * sqrt(1 + g["compliance"] / r["litres"]), 0.01)]


def rectifier(g, r):
    """A bridge drops two diodes; a reservoir falls by I/(2fC) less what the charging takes of the time."""
    most = g["draws"] / (2 * g["hertz"] * g["c"])
    peak = ROOT2 * g["secondary"]
    return [(r["ripple"], 0.8 * most, 0.26), (r["mean"], peak - 1.7 - 2.8 * g["draws"] * g["winding"] - most / 2, 0.07),
            (r["highest"], 1.21 * peak, 1e-3), (r["va"], 1.8 * g["draws"] * g["secondary"], 1e-6)]  # fmt: skip


def cathode(g, r):
    """μ 100 and rp about 70 kΩ at 1 mA: gain μ·RL/(RL + rp); without the bypass rp + (μ + 1)·RK."""
    load, rp = par(g["plate"], g["follow"]), 70e3 * (1e-3 / r["flows"]) ** 0.33
    below = par(r["rk"], (g["plate"] + rp) / 101)
    return [(r["plate_at"], g["supply"] - r["flows"] * g["plate"], 1e-3), (r["cathode_at"], r["flows"] * r["rk"], 1e-3),
            (r["gain"], db(100 * load / (load + rp)), 1.5), (r["plain"], db(100 * load / (load + rp + 101 * r["rk"])), 1.5),
            (r["low"], 1 / (2 * pi * r["ck"] * below), 0.45)]  # fmt: skip


def riaa(g, r):
    t1, t2 = r["r1"] * g["c1"], r["r2"] * r["c2"]
    t3 = par(r["r1"], r["r2"]) * (g["c1"] + r["c2"])
    return [(t1, 3180e-6, 0.05), (t2, 75e-6, 0.09), (t3, 318e-6, 0.06), (r["bass"], 19.27, 0.6), (r["high"], -13.73, 0.5)]


def op_amp(g, r):
    gain, rp = 1 + r["rf"] / r["rg"], par(r["rf"], r["rg"])
    hiss, amps = g["hiss"] * 1e-9, g["current"] * 1e-12
    thermal = 4 * 1.380649e-23 * 300
    noise = sqrt(hiss**2 + (amps * g["source"]) ** 2 + (amps * rp) ** 2 + thermal * (g["source"] + rp))
    return [(r["times"], g["gain"], 0.03), (r["times"], gain, 1e-6), (r["band"], g["gbw"] / gain, 1e-6), (r["noise"], noise, 0.01)]


def pot_loaded(g, r):
    def at(share):
        lower = par(share * g["pot"], g["load"])
        return db(lower / (lower + (1 - share) * g["pot"]))

    return [(r["quarter"], at(0.25), 0.01), (r["noon"], at(0.5), 0.01), (r["three"], at(0.75), 0.01)]


def taper(g, r):
    """An audio taper lets a tenth through at noon (common practice)."""

    def at(share):
        lower = par(share * g["pot"], g["load"])
        return db(lower / (lower + (1 - share) * g["pot"]))

    return [(r["linear_25"], at(0.25), 0.01), (r["linear_75"], at(0.75), 0.01), (r["audio_50"], at(0.1), 0.5)]


def tone_stack(g, r):
    """Nothing amplifies; the controls do what they say."""
    names = ("bottom", "dip", "top", "dull", "thin", "scoop")
    return [(max(0.0, *(r[n] for n in names)), 0.0, 1e-9), (min(0.0, r["top"] - r["dull"], r["bottom"] - r["thin"], r["dip"] - r["scoop"]), 0.0, 1e-9)]


def measured(g, r):
    """The woofer whose curve it is: 46 Hz, QMS 4.2, QES 0.42, 5.8 Ω."""
    return [(r["fs"], 46, 0.02), (r["qms"], 4.2, 0.05), (r["qes"], 0.42, 0.05), (r["re"], 5.8, 0.02), (r["nominal"], r["least"] / 0.8, 1e-6)]


def ladder_of_lamps(g, r):
    k = 10 ** (-g["step"] / 20)
    return [(r[f"t{n}"], g["reference"] * k ** (5 - n), 1e-4) for n in (1, 2, 3, 4)]


def corner_below(capacitor, resistance):
    return 1 / (2 * pi * capacitor * resistance)


def low_pass(g, r):
    return [(r["corner_at"], corner_below(r["c"], par(g["source"] + r["r"], g["load"])), 0.01), (r["corner_at"], g["corner"], 0.11),
            (r["passed"], db(g["load"] / (g["load"] + g["source"] + r["r"])), 0.02)]  # fmt: skip


def lc_low_pass(g, r):
    """A coil of 0.2 Ω is counted."""
    q, f0 = g["load"] * sqrt(r["c"] / r["l"]), 1 / (2 * pi * sqrt(r["l"] * r["c"]))
    x = 1 - 1 / (2 * q * q)
    return [(r["damping"], q, 1e-6), (r["damping"], g["q"], 0.1), (r["corner_at"], f0 * sqrt(x + sqrt(x * x + 1)), 0.04)]


def step_up(g, r):
    n2 = g["ratio"] ** 2
    seen = (par(r["r"], g["preamp"]) + g["secondary"]) / n2 + g["primary"]
    return [(r["seen"], seen, 0.02), (r["seen"], g["load"], 0.05), (r["of_the_ratio"], db(g["ratio"]), 1e-6)]


def buffer_input(g, r):
    """A coil with its cable resonates at 1/(2π√LC); a resonance that peaks ends above that, a damped one below."""
    f0 = 1 / (2 * pi * sqrt(g["coil"] * (g["cable"] + 100e-12)))
    return [(r["top"] / f0, 1.3, 0.35), (min(0.0, r["top"] - r["top_low"]), 0.0, 1e-9)]


def crossover_driver(g, r):
    return [(r["at_corner"], -6, 0.7), (r["octave_above"], -1.9, 1.0), (min(0.0, -20 - r["at_resonance"]), 0.0, 6.0)]


def correction(g, r):
    """Zobel: C = L/R² with R a little over RE flattens what the coil raises."""
    return [(r["r"], 1.05 * g["re"], 0.25), (r["c"], g["le"] / r["r"] ** 2, 0.45), (r["at_4k"], g["re"], 0.2),
            (r["without"], hypot(g["re"], 2 * pi * 15e3 * g["le"]), 0.1)]  # fmt: skip


def zener_pair(g, r):
    rc = 2 * pi * 1e3 * g["c"]
    return [(r["one"], 12, 0.05), (r["two"], 12.4, 0.05), (r["z_one"], r["r_one"] / sqrt(1 + (rc * r["r_one"]) ** 2), 0.03),
            (r["left_two"], -10 * log10(1 + (rc * r["r_two"]) ** 2), 1e-6)]  # fmt: skip


def zener_dropper(g, r):
    return [(r["held"], (g["least"] - g["zener"]) / r["r"] - g["draws"], 0.12), (r["heat"], (g["most"] - g["zener"]) ** 2 / r["r"], 1e-3)]


def nine(g, r):
    rl = 9 / g["draws"]
    lower = par(3e3, rl)
    return [(r["divided"], 12 * lower / (1e3 + lower), 1e-3), (r["unloaded"], 9, 1e-3), (r["buffered"], 9 * rl / (rl + 10), 1e-3), (r["regulated"], 9, 2e-3)]


def rail_power(g, r):
    peak = (g["supply"] / 2 - 1) * g["load"] / (g["load"] + 0.9)
    watts = peak**2 / (2 * g["load"])
    return [(r["power"], watts, 1e-3), (r["loudness"], g["sensitivity"] + 10 * log10(watts) - db(g["distance"]), 1e-3)]


def inverter(g, r):
    """Both halves alike, and each about half of what one triode alone would give (μ·RL/(rp + RL)/2)."""
    return [(r["apart"], 0.0, 0.2), (r["first"], db(50 * 80e3 / (150e3)), 3.5)]


def taps(g, r):
    lower = par(g["load"], r["r"] + g["source"])
    through = lower / (lower + r["r"] + g["source"])
    return [(r["each"], db(through), 0.01), (r["leak"], db(through * g["source"] / (g["source"] + r["r"])), 0.02),
            (r["seen"], g["source"] + r["r"] + lower, 1e-3)]  # fmt: skip


def impedance_of(c, esr, leads, f):
    return complex(esr, 2 * pi * f * leads - 1 / (2 * pi * f * c))


def bypass(g, r):
    def alone(f):
        return abs(impedance_of(g["large"], g["esr"], g["leads"], f))

    def both(f):
        a, b = impedance_of(g["large"], g["esr"], g["leads"], f), impedance_of(g["small"], 0.02, 8e-9, f)
        return abs(a * b / (a + b))

    return [(r["alone_1k"], alone(1e3), 1e-3), (r["alone_1m"], alone(1e6), 1e-3), (r["both_20k"], both(20e3), 1e-3), (r["both_1m"], both(1e6), 1e-3)]


def notch(g, r):
    return [(r["depth"], db(g["load"] / (g["load"] + r["r"])), 0.05), (r["depth"], -g["db"], 0.7),
            (1 / (2 * pi * sqrt(r["l"] * r["c"])), g["peak"], 0.06), (corner_below(r["c"], r["r"]), g["width"], 0.25)]  # fmt: skip


def baffle(g, r):
    f = 115 / g["width"]
    z = 1 / (1 / r["r"] + 1 / complex(0, 2 * pi * f * r["l"]))
    return [(r["top"], db(g["load"] / (g["load"] + r["r"])), 0.05), (r["top"], -g["step"], 0.6), (r["middle"], db(g["load"] / abs(g["load"] + z)), 0.02)]


def each(name, *values):
    return [{name: v} for v in values]


# Five sets of inputs each; where only some inputs matter, the rest is as it stands.
FORMULAS = {
    "baffle-step": (baffle, [{}, {"width": "0.3", "step": "6"}, {"load": "6"}, {"width": "0.18", "step": "3"}, {"load": "4", "step": "5"}]),
    "battery-life": (lambda g, r: [(r["hours"], g["charge"] * 0.8e-3 / g["draws"], 1e-6)], [{}, {"charge": "aa"}, {"draws": "2m"}, {"charge": "nine-volt-lithium"}, {"draws": "40m"}]),
    "battery-split": (lambda g, r: [(r["middle"], g["battery"] / 2 - g["draws"] * r["each"] / 2, 1e-6), (r["idle"], g["battery"] / (2 * r["each"]), 1e-6)],
                      [{}, {"battery": "12"}, {"draws": "0.5m"}, {"battery": "18"}, {"draws": "2m"}]),
    "bleeder": (lambda g, r: [(r["seconds"], 1.2 * r["r"] * g["c"] * log(g["volts"] / g["safe"]), 1e-6), (r["heat"], g["volts"] ** 2 / r["r"], 1e-3)],
                [{}, {"volts": "450"}, {"c": "47u"}, {"longest": "30"}, {"volts": "160", "c": "220u"}]),
    "box-closed": (closed_box, [{}, {"fs": "30"}, {"qts": "0.3"}, {"vas": "25"}, {"qts": "0.45", "rise": "1"}]),
    "box-passive": (passive_box, [{}, {"fs": "35"}, {"vas": "40"}, {"compliance": "100"}, {"qts": "0.35"}]),
    "box-vented": (vented_box, [{}, {"qts": "0.25"}, {"fs": "30"}, {"vas": "30"}, {"qts": "0.32", "bore": "100"}]),
    "buffer-input": (buffer_input, [{}, {"cable": "1n"}, {"coil": "6"}, {"coil": "2.2", "winding": "5k"}, {"pots": "500k"}]),
    "bypass": (bypass, [{}, {"large": "47u"}, {"esr": "1"}, {"leads": "5n"}, {"small": "1u"}]),
    "cathode-bias": (cathode, [{}, {"current": "0.7m"}, {"supply": "250"}, {"plate": "220k", "current": "0.5m"}, {"corner": "30"}]),
    "charge": (lambda g, r: [(r["takes"], r["r"] * g["c"] * log(g["supply"] / (g["supply"] - g["threshold"])), 1e-6), (r["takes"], g["seconds"], 0.1)],
               [{}, {"seconds": "3"}, {"c": "1u"}, {"threshold": "1.3"}, {"supply": "15", "threshold": "10"}]),
    "coupling": (lambda g, r: [(r["corner_at"], corner_below(r["c"], g["source"] + g["load"]), 0.01), (max(0.0, r["corner_at"] - g["corner"]), 0.0, 1e-9)],
                 [{}, {"load": "4"}, {"corner": "5", "load": "10k", "source": "1k"}, {"load": "100k"}, {"corner": "1", "load": "32"}]),
    "crossover-1": (crossover(1), [{}, {"corner": "1k"}, {"load": "4"}, {"corner": "5k"}, {"load": "6"}]),
    "crossover-2": (crossover(2), [{}, {"corner": "1k"}, {"load": "4"}, {"corner": "4k"}, {"load": "6"}]),
    "crossover-3": (crossover(3), [{}, {"corner": "1k"}, {"load": "4"}, {"corner": "4k"}, {"load": "6"}]),
    "crossover-4": (crossover(4), [{}, {"corner": "1k"}, {"load": "4"}, {"corner": "4k"}, {"load": "6"}]),
    "crossover-driver": (crossover_driver, [{}, {"corner": "3k"}, {"re": "3.4"}, {"fs": "700"}, {"qms": "3", "qes": "1.1"}]),
    "divider": (lambda g, r: [(r["loaded"], par(r["top"], r["bottom"]) * (g["supply"] / r["top"] - g["draws"]), 1e-3), (r["unloaded"], g["supply"] * r["bottom"] / (r["top"] + r["bottom"]), 1e-3)],
                [{}, {"draws": "0.2m"}, {"supply": "15"}, {"out": "5"}, {"supply": "24", "out": "12"}]),
    "gain-range": (lambda g, r: [(r["gain_high"], 1 + r["feedback"] / r["lower"], 0.01), (r["gain_low"], 1 + r["feedback"] / (r["lower"] + r["pot"]), 0.01), (r["band_high"], g["gbw"] / r["gain_high"], 1e-6)],
                   [{}, {"least": "10", "most": "100"}, {"least": "5", "most": "50"}, {"gbw": "3M"}, {"least": "20", "most": "200"}]),
    "gate-resistor": (lambda g, r: [(r["corner_at"], corner_below(g["capsule"] + 5e-12, r["r"]), 0.01), (r["passed"], db(g["capsule"] / (g["capsule"] + 5e-12)), 0.01)],
                      [{}, {"capsule": "30p"}, {"capsule": "80p"}, {"corner": "5"}, {"corner": "20"}]),
    "grid-stopper": (lambda g, r: [(r["input"], g["cgk"] + g["stray"] + g["cag"] * (1 + g["gain"]), 1e-6), (r["at"], corner_below(r["input"], g["source"] + r["r"]), 0.01)],
                     [{}, {"gain": "30"}, {"source": "10k"}, {"corner": "20k"}, {"cag": "3p", "corner": "15k"}]),
    "heat-sink": (lambda g, r: [(r["junction_at"], g["room"] + g["watts"] * (g["junction"] + g["washer"] + r["sink"]), 1e-3), (r["alone_at"], g["room"] + g["watts"] * g["free"], 1e-6)],
                  [{}, {"watts": "1"}, {"watts": "15"}, {"room": "40"}, {"junction": "3"}]),
    "high-pass-2": (butterworth("high", 2), [{}, {"corner": "80"}, {"base": "47n", "corner": "100"}, {"corner": "3k"}, {"base": "100n", "corner": "20"}]),
    "high-pass-3": (butterworth("high", 3), [{}, {"corner": "80"}, {"base": "47n", "corner": "100"}, {"corner": "3k"}, {"base": "100n", "corner": "20"}]),
    "high-pass-4": (butterworth("high", 4), [{}, {"corner": "80"}, {"base": "47n", "corner": "100"}, {"corner": "3k"}, {"base": "100n", "corner": "20"}]),
    "impedance-correction": (correction, [{}, {"le": "0.3m"}, {"re": "3.4"}, {"le": "1m"}, {"re": "7"}]),
    "impedance-measured": (measured, [{}] * 5),
    "lc-low-pass": (lc_low_pass, [{}, {"q": "0.577"}, {"load": "4"}, {"corner": "500"}, {"q": "1", "load": "16"}]),
    "led": (lambda g, r: [(r["flows"], (g["supply"] - r["drop"]) / r["r"], 1e-3), (r["drop"], g["colour"] + 2 * 0.02585 * log(g["current"] / 5e-3), 0.03), (r["flows"], g["current"], 0.1)],
            [{}, {"colour": "blue"}, {"supply": "12", "colour": "green"}, {"current": "10m"}, {"colour": "white", "current": "1m"}]),
    "led-ladder": (ladder_of_lamps, [{}, {"step": "2"}, {"reference": "2.5"}, {"step": "6"}, {"r5": "22k"}]),
    "level-pad": (l_pad, [{}, {"db": "1"}, {"db": "12"}, {"driver": "4"}, {"driver": "8", "watts": "30"}]),
    "loudspeaker-pad": (l_pad, [{}, {"db": "3"}, {"db": "20"}, {"load": "16"}, {"watts": "50"}]),
    "low-pass": (low_pass, [{}, {"corner": "20k"}, {"corner": "20"}, {"source": "10k", "load": "1M"}, {"corner": "159", "load": "47k"}]),
    "low-pass-2": (butterworth("low", 2), [{}, {"corner": "80"}, {"base": "4.7n", "corner": "15k"}, {"corner": "3k"}, {"base": "100n", "corner": "50"}]),
    "low-pass-3": (butterworth("low", 3), [{}, {"corner": "80"}, {"base": "4.7n", "corner": "15k"}, {"corner": "3k"}, {"base": "100n", "corner": "50"}]),
    "low-pass-4": (butterworth("low", 4), [{}, {"corner": "80"}, {"base": "4.7n", "corner": "15k"}, {"corner": "3k"}, {"base": "100n", "corner": "50"}]),
    "meter-shunt": (lambda g, r: [(r["shows"], g["volts"] / (r["series"] + g["coil"]), 1e-6), (r["shunt_is"], g["full"] * g["coil"] / (g["amps"] - g["full"]), 1e-6)],
                    [{}, {"volts": "300"}, {"full": "1m", "coil": "75"}, {"amps": "0.1"}, {"volts": "50", "full": "50u"}]),
    "nine-from-twelve": (nine, [{}, {"draws": "5m"}, {"draws": "1m"}, {"draws": "50m"}, {"draws": "10m"}]),
    "notch": (notch, [{}, {"peak": "1k", "width": "300"}, {"db": "3"}, {"load": "4"}, {"peak": "5k", "width": "2k", "db": "8"}]),
    "op-amp": (op_amp, [{}, {"gain": "100"}, {"source": "150"}, {"hiss": "18", "current": "0.01"}, {"gain": "4", "gbw": "3M"}]),
    "pad": (pad, [{}, {"db": "10"}, {"source": "600", "db": "18", "load": "2k4"}, {"db": "6", "load": "600"}, {"db": "40"}]),
    "pad-balanced": (lambda g, r: [(r["loss"], g["db"], 0.5), (r["seen"], 2 * r["arm"] + par(r["shunt"], g["load"]), 1e-3)], [{}, {"db": "10"}, {"source": "150"}, {"load": "1k2"}, {"db": "30"}]),
    "pad-h": (t_pad(2), [{}, {"db": "3"}, {"db": "20"}, {"line": "150"}, {"line": "200", "db": "6"}]),
    "pad-t": (t_pad(1), [{}, {"db": "3"}, {"db": "20"}, {"line": "150"}, {"line": "50", "db": "6"}]),
    "phantom": (lambda g, r: [(r["left"], g["supply"] - g["draws"] / 2 * g["feed"], 1e-6), (r["shorted"], 2 * g["supply"] / g["feed"], 1e-6)],
                [{}, {"draws": "10m"}, {"supply": "24", "feed": "1.2k"}, {"draws": "2m"}, {"supply": "12", "feed": "680", "draws": "1m"}]),
    "phase-inverter": (inverter, [{}, {"tail": "22k"}, {"supply": "350"}, {"follow": "470k"}, {"rk": "820"}]),
    "pot-loaded": (pot_loaded, [{}, {"pot": "10k"}, {"load": "1M"}, {"load": "47k"}, {"pot": "500k", "load": "1M"}]),
    "rail-power": (rail_power, [{}, {"supply": "32"}, {"load": "4"}, {"distance": "4"}, {"supply": "18"}]),
    "rectifier": (rectifier, [{}, {"c": "1000u", "draws": "0.2"}, {"secondary": "24", "winding": "1.5"}, {"hertz": "60"}, {"draws": "0.1", "winding": "2"}]),
    "regulator-pair": (lambda g, r: [(r["plus"], 1.25 * (1 + r["r2"] / r["r1"]) + 50e-6 * r["r2"], 0.02), (-r["minus"], 1.25 * (1 + r["r2"] / r["r1"]) + 65e-6 * r["r2"], 0.02), (r["plus"], g["volts"], 0.03)],
                       [{}, {"volts": "12"}, {"volts": "5", "supply": "9"}, {"volts": "18", "supply": "24"}, {"draws": "0.2"}]),
    "riaa": (riaa, [{}, {"c1": "10n"}, {"gain": "35"}, {"c1": "47n"}, {"c1": "100n", "gain": "45"}]),
    "ripple": (lambda g, r: [(r["ripple"], g["current"] / (g["hertz"] * g["peaks"] * r["c"]), 1e-6), (max(0.0, r["ripple"] - g["allowed"]), 0.0, 1e-9)],
               [{}, {"peaks": "2"}, {"current": "1"}, {"hertz": "60", "allowed": "2"}, {"allowed": "0.1"}]),
    "speaker-cable": (lambda g, r: [(r["copper"], 2 * g["metres"] * 0.0175 / g["area"], 1e-6), (r["loss"], db(g["load"] / (g["load"] + g["inner"] + r["copper"])), 1e-3), (r["damping"], g["load"] / (g["inner"] + r["copper"]), 1e-6)],
                      [{}, {"metres": "20"}, {"area": "4"}, {"load": "4"}, {"metres": "2", "area": "0.75"}]),
    "step-up": (step_up, [{}, {"ratio": "20", "load": "47"}, {"load": "200"}, {"cartridge": "40", "load": "400", "ratio": "8"}, {"primary": "3", "secondary": "900"}]),
    "taper": (taper, [{}, {"pot": "10k"}, {"load": "100k"}, {"pot": "500k"}, {"load": "10M"}]),
    "taps": (taps, [{}, {"source": "10k"}, {"load": "1M"}, {"source": "600", "load": "10k"}, {"source": "100"}]),
    "tone-stack": (tone_stack, [{}, {"slope": "100k"}, {"source": "38k"}, {"bass": "100n"}, {"treble": "500p"}]),
    "two-parts": (lambda g, r: [(r["series"], r["a"] + r["b"], 1e-6), (r["parallel"], par(r["c"], r["d"]), 1e-6), (r["series"], g["value"], 0.011), (r["parallel"], g["value"], 0.011)],
                  each("value", "1234", "27.9k", "333", "6.4k", "51.7")),
    "zener-dropper": (zener_dropper, [{}, {"zener": "9"}, {"draws": "10m"}, {"least": "30", "most": "40", "zener": "24"}, {"zener": "5.1", "least": "10", "most": "16"}]),
    "zener-pair": (zener_pair, [{}, {"supply": "30"}, {"c": "10u"}, {"r": "1k"}, {"c": "220u"}]),
}  # fmt: skip
