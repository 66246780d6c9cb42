"""Circuits that are run through Nuvlo and through ngspice alike."""

from pathlib import Path

from nuvlo.workshop.demo import SHIPPED

MODELS = """.model qn npn(is=15f bf=400 nf=1 vaf=80 var=20 ikf=60m ikr=10m ise=6f ne=1.5 isc=2f nc=1.9 br=6 rb=90 re=0.5 rc=1
+ cje=12p vje=0.7 mje=0.33 cjc=5p vjc=0.6 mjc=0.35 tf=0.6n tr=40n)
.model qp pnp(is=12f bf=180 vaf=60 ikf=50m rb=120 cje=14p cjc=7p tf=0.8n)
.model jn njf(vto=-1.4 beta=1.1m lambda=8m is=5f rd=9 rs=7 cgs=4p cgd=3p pb=0.9)
.model jp pjf(vto=-1.1 beta=0.7m lambda=12m is=4f cgs=5p cgd=4p)
.model dd d(is=2n n=1.8 rs=0.6 cjo=3p m=0.4 vj=0.6 tt=4n bv=75)
.model qx npn(is=10f bf=300 xtb=1.5 eg=1.2 xti=4 cje=10p cjc=5p ise=10f)
.model nm nmos(vto=1 kp=50u gamma=0.5 phi=0.7 lambda=20m cbd=3p cbs=3p cgso=200p cgdo=200p cgbo=100p rd=3 rs=2)
.model pm pmos(vto=-1 kp=20u gamma=0.4 phi=0.7 lambda=20m cbd=3p)
"""
# Operating point and response over all nodes.
SMALL = {
    "divider": "v1 a 0 dc 9 ac 1\nr1 a m 1k\nr2 m 0 150",
    "rc low pass": "v1 a 0 dc 1 ac 1\nr1 a m 10k\nc1 m 0 1n",
    "twin tee": "v1 a 0 ac 1\nr1 a b 10k\nr2 b c 10k\nc1 b 0 2n\nc2 a d 1n\nc3 d c 1n\nr3 d 0 5k\nr4 c 0 1meg",
    "current source": "i1 0 a dc 1m ac 1m\nr1 a 0 2.2k\nc1 a 0 10n",
    "diode forward": "v1 a 0 dc 5 ac 1\nr1 a b 1k\nd1 b 0 dd",
    "diode reverse": "v1 a 0 dc -5 ac 1\nr1 a b 1k\nd1 b 0 dd\nr2 b 0 100meg",
    "diode breakdown": "v1 a 0 dc -90 ac 1\nr1 a b 10k\nd1 b 0 dd",
    "antiparallel clipper": "v1 a 0 dc 0.2 ac 1\nr1 a b 4.7k\nd1 b 0 dd\nd2 0 b dd\nc1 b 0 1n",
    "bridge": "v1 a b dc 12 ac 1\nd1 a p dd\nd2 b p dd\nd3 n a dd\nd4 n b dd\nr1 p n 1k\nr2 n 0 10\nr3 b 0 1meg",
    "common emitter": "vc vcc 0 12\nv1 s 0 dc 0 ac 1\nc1 s b 1u\nr1 vcc b 220k\nr2 b 0 47k\nr3 vcc c 4.7k\nr4 e 0 1k\nq1 c b e qn",
    "emitter follower": "vc vcc 0 9\nv1 s 0 dc 4.5 ac 1\nr1 s b 10k\nq1 vcc b e qn\nr2 e 0 2.2k",
    "saturated": "vc vcc 0 5\nv1 s 0 dc 5 ac 1\nr1 s b 1k\nr2 vcc c 1k\nq1 c b 0 qn",
    "cut off": "vc vcc 0 5\nv1 s 0 dc 0.2 ac 1\nr1 s b 1k\nr2 vcc c 1k\nq1 c b 0 qn",
    "inverse": "vc vcc 0 -3\nv1 s 0 dc 1 ac 1\nr1 s b 10k\nr2 vcc c 1k\nq1 c b 0 qn",
    "pnp stage": "vc vcc 0 9\nv1 s 0 dc 0 ac 1\nc1 s b 1u\nr1 vcc b 100k\nr2 b 0 220k\nr3 c 0 2.2k\nr4 vcc e 470\nq1 c b e qp",
    "current mirror": "vc vcc 0 9 ac 1\nr1 vcc a 10k\nq1 a a 0 qn\nq2 b a 0 qn\nr2 vcc b 4.7k",
    "differential pair": "vp p 0 12\nvn n 0 -12\nv1 a 0 dc 5m ac 1\nq1 c1 a e qn\nq2 c2 0 e qn\nr1 p c1 10k\nr2 p c2 10k\nr3 e n 12k",
    "complementary pair": "vp p 0 9\nvn n 0 -9\nv1 s 0 dc 0.5 ac 1\nr1 p a 4.7k\nd1 a s dd\nd2 s b dd\nr2 b n 4.7k\nq1 p a o qn\nq2 n b o qp\nr3 o 0 100",
    "darlington": "vc vcc 0 12\nv1 s 0 dc 3 ac 1\nr1 s b 100k\nq1 vcc b m qn\nq2 vcc m e qn\nr2 e 0 470",
    "pots": ".include pot.lib\nv1 a 0 dc 1 ac 1\nx1 0 w a pot_audio r=100k pos=0.3\nx2 w y 0 pot_reverse r=10k pos=0.8\nr1 y 0 47k",
    "parameters": ".param g={2*3+1} f={sqrt(g+2)}\nv1 a 0 dc {g} ac 1\nr1 a m {f*1k}\nr2 m 0 {max(1k, g*100)}",
    "series resonance": "v1 a 0 dc 1 ac 1\nr1 a b 47\nl1 b c 10m\nc1 c 0 100n\nr2 c 0 1meg",
    "coupled coils": "v1 a 0 dc 1 ac 1\nr1 a b 10\nl1 b 0 100m\nl2 c 0 25m\nk1 l1 l2 0.97\nr2 c 0 150",
    "voltage gain": "v1 a 0 dc 0.1 ac 1\ne1 b 0 a 0 -25\nr1 b c 1k\nc1 c 0 10n\nr2 a 0 1k",
    "transconductance": "v1 a 0 dc 0.5 ac 1\ng1 b 0 a 0 2m\nr1 b 0 4.7k\nc1 b 0 1n\nr2 a 0 1k",
    "current gain": "v1 a 0 dc 2 ac 1\nv2 b 0 0\nr1 a b 1k\nf1 c 0 v2 -3\nr2 c 0 220",
    "transresistance": "v1 a 0 dc 2 ac 1\nv2 b 0 0\nr1 a b 1k\nh1 c 0 v2 500\nr2 c d 220\nc2 d 0 1u",
    "fet source follower": "vd d 0 15\nv1 s 0 dc 3 ac 1\nr1 s g 1meg\nj1 d g o jn\nr2 o 0 4.7k",
    "fet amplifier": "vd vdd 0 12\nv1 s 0 ac 1\nc1 s g 10n\nr1 g 0 2.2meg\nr2 vdd d 4.7k\nj1 d g o jn\nr3 o 0 1k\nc2 o 0 10u",
    "fet as a resistor": "v1 a 0 dc 0.2 ac 1\nr1 a d 2.2k\nj1 d g 0 jn\nvg g 0 -0.5",
    "fet turned round": "v1 a 0 dc -2 ac 1\nr1 a d 2.2k\nj1 d g 0 jn\nvg g 0 -0.4",
    "p-channel fet": "vd vdd 0 -9\nv1 s 0 dc 0 ac 1\nr2 vdd d 2.2k\nj1 d s o jp\nr3 o 0 680",
    "fet gate driven on": "vd vdd 0 9\nv1 s 0 dc 2 ac 1\nr1 s g 10k\nr2 vdd d 1k\nj1 d g 0 jn",
    "gates in cascade": "vd vdd 0 18\nv1 s 0 dc 0 ac 1\nr1 vdd d 3.3k\nj1 d gb m jn\nvb gb 0 4\nj2 m s o jn\nr2 o 0 470",
    "controls in a subcircuit": ".subckt amp i o\nv1 i x 0\nr1 x 0 10k\nf1 0 o v1 40\nr2 o 0 1k\n.ends\nv1 a 0 dc 0.3 ac 1\nx1 a b amp\nc1 b 0 1n",
    "b source of volts": "v1 a 0 dc 0.7 ac 1\nr1 a 0 1k\nb1 b 0 v=tanh(v(a)*3)+0.5*v(a)**2\nr2 b c 1k\nc1 c 0 10n",
    "b source of amps": "v1 a 0 dc 0.7 ac 1\nr1 a 0 1k\nb1 0 b i={1m*exp(v(a,0))+0.1m*v(b)}\nr2 b 0 1k",
    "b of a current": "v1 a 0 dc 2 ac 1\nv2 b 0 0\nr1 a b 1k\nb1 c 0 v={100*i(v2)+1e4*i(v2)**2}\nr2 c 0 1k",
    "expression gain": "v1 a 0 dc 0.4 ac 1\nr1 a 0 1k\ne1 b 0 vol='sin(v(a))*10'\nr2 b 0 1k\ng1 0 c cur='2m*atan(v(b)/3)'\nr3 c 0 1k",
    "square law": ".param k=0.8m vt=1.2\nvd d 0 5\nv1 g 0 dc 2.4 ac 1\nr1 d o 1k\nb1 o 0 i={v(g)>vt ? k*(v(g)-vt)**2 : 0}",
    "soft limit": "v1 a 0 dc 1.5 ac 1\nr1 a 0 1k\nb1 b 0 v={max(min(v(a)*4,3),-3)+min(v(a),1)+max(v(a),1)}\nr2 b 0 1k",
    "b in a subcircuit": ".subckt sq i o g=1\nb1 o 0 v={g*v(i)*abs(v(i))}\nr1 i 0 1meg\n.ends\nv1 a 0 dc -0.6 ac 1\nx1 a b sq g=3\nr1 b 0 1k",
    "triode": "vb b 0 250\nv1 g 0 dc -2 ac 1\nr1 b p 100k\nb1 p 0 i={2/1060*pwr(v(p)/600*ln(1+exp(600*(1/100+v(g)/sqrt(300+v(p)**2)))),1.4)}\nc1 p 0 2p",
    "feedback through an expression": "vb b 0 12\nv1 a 0 dc 0.3 ac 1\nr1 a m 10k\nr2 m o 100k\nb1 x 0 v={-1e4*v(m)}\nr3 x y 1k\nc1 y 0 1n\nb2 o 0 v={10*tanh(v(y)/10)}",
    "area": "v1 a 0 dc 2 ac 1\nr1 a b 100\nd1 b 0 dd area=3\nr2 a c 50k\nq1 a c d qn area=2\nr3 d 0 220",
    "warm diodes": "v1 a 0 dc 5 ac 1\nr1 a b 1k\nd1 b 0 dd\nr2 a c 100k\nd2 0 c dd\n.temp 60",
    "cold stage": "vc vcc 0 12\nv1 s 0 dc 0 ac 1\nc1 s b 1u\nr1 vcc b 220k\nr2 b 0 47k\nr3 vcc c 4.7k\nr4 e 0 1k\nq1 c b e qx\n.temp 0",
    "warm fet": "vd vdd 0 12\nv1 s 0 ac 1\nc1 s g 10n\nr1 g 0 1g\nr2 vdd d 4.7k\nj1 d g o jn\nr3 o 0 1k\nc2 o 0 10u\n.temp 60",
    "resistors that warm": "v1 a 0 dc 5 ac 1\nr1 a b 1k tc1=3300u tc2=1u\nr2 b 0 2k rm\n.model rm r(tc1=-100u)\n.temp 70",
    "mos amplifier": "vd vdd 0 12\nv1 s 0 dc 2 ac 1\nr1 s g 10k\nr2 vdd d 4.7k\nm1 d g o 0 nm w=200u l=5u\nr3 o 0 470",
    "mos as a resistor": "vd vdd 0 1\nv1 s 0 dc 5 ac 1\nr1 s g 10k\nr2 vdd d 4.7k\nm1 d g 0 0 nm w=200u l=5u\n.temp 40",
    "mos turned round": "vd vdd 0 -3\nv1 s 0 dc 5 ac 1\nr1 s g 10k\nr2 vdd d 47k\nm1 d g 0 bb nm w=200u l=5u\nvb bb 0 -5",
    "p-channel mos": "vd vdd 0 12\nv1 s 0 dc 9 ac 1\nr1 s g 10k\nr2 d 0 4.7k\nm1 d g vdd vdd pm w=200u l=5u\n.temp 5",
    "regulated and lit": ".include regulators.lib\n.include semiconductors.lib\nv1 a 0 dc 12 ac 1\nx1 a 0 b regulator v=5\nr1 b c 470\nd1 c 0 led_red\nr2 a d 1k\nd2 0 d zener_6v2",
}  # fmt: skip
# Noise: body, source, node listened at.
NOISE = {
    "resistor": ("r1 a 0 10k\nr2 a b 47k\nv1 b 0 dc 0 ac 1", "v1", "a"),
    "diode": ("v1 a 0 dc 3 ac 1\nr1 a b 4.7k\nd1 b 0 dd", "v1", "b"),
    "coil": ("v1 a 0 ac 1\nr1 a b 600\nl1 b 0 10m\nr2 b c 1k\nc1 c 0 100n", "v1", "c"),
    "common emitter": ("vc vcc 0 12\nv1 s 0 ac 1\nr9 s t 1k\nc1 t b 1u\nr1 vcc b 220k\nr2 b 0 47k\nr3 vcc c 4.7k\nr4 e 0 1k\nq1 c b e qn", "v1", "c"),
    "pnp stage": ("vc vcc 0 9\nv1 s 0 ac 1\nc1 s b 1u\nr1 vcc b 100k\nr2 b 0 220k\nr3 c 0 2.2k\nr4 vcc e 470\nq1 c b e qp", "v1", "c"),
    "fet amplifier": ("vd vdd 0 12\nv1 s 0 ac 1\nr9 s t 100k\nc1 t g 10n\nr1 g 0 10meg\nr2 vdd d 4.7k\nj1 d g o jn\nr3 o 0 1k\nc2 o 0 10u", "v1", "d"),
    "flicker": ("vc vcc 0 9\nv1 s 0 dc 0.65 ac 1\nr1 s b 10k\nr2 vcc c 4.7k\nq1 c b 0 qf\n.model qf npn(bf=300 is=10f kf=2f af=1.1)", "v1", "c"),
    "controlled": ("v1 a 0 ac 1\nr1 a 0 1k\nr3 a m 10k\nr4 m 0 10k\ne1 b 0 m 0 10\nr2 b c 1k\nc1 c 0 10n", "v1", "c"),
}  # fmt: skip
# Courses over time: body, nodes, step, stop.
COURSES = {
    "low pass": ("v1 a 0 sin(0 1 1k)\nr1 a b 1k\nc1 b 0 100n", ["b"], 1e-5, 3e-3),
    "square through a coupling": ("v1 a 0 pulse(-1 1 0.1m 1u 1u 0.5m 1m)\nc1 a b 100n\nr1 b 0 3.3k", ["b"], 5e-6, 3e-3),
    "ringing": ("v1 a 0 pulse(0 1 10u 1u 1u 1 2)\nr1 a b 10\nl1 b c 1m\nc1 c 0 100n\nr2 c 0 100k", ["c"], 1e-6, 5e-4),
    "transformer": ("v1 a 0 sin(0 5 400)\nr1 a b 20\nl1 b 0 500m\nl2 c 0 20m\nk1 l1 l2 0.99\nr2 c 0 8", ["c"], 2e-5, 1e-2),
    "clipper": ("v1 a 0 sin(0 3 1k)\nr1 a b 2.2k\nd1 b 0 dd\nd2 0 b dd\nc1 b 0 4.7n", ["b"], 5e-6, 3e-3),
    "rectifier": ("v1 a 0 sin(0 12 50)\nr0 a s 1\nd1 s p dd\nc1 p 0 220u\nr1 p 0 220", ["p"], 1e-4, 0.1),
    "ramp": ("v1 a 0 pwl(0 0 1m 1 1.2m -1 3m 0)\nr1 a b 1k\nc1 b 0 220n", ["b"], 1e-5, 3e-3),
    "exponential": ("v1 a 0 exp(0 2 0.2m 0.1m 1m 0.2m)\nr1 a b 1k\nc1 b 0 22n", ["b"], 1e-5, 2e-3),
    "overdriven stage": ("vc vcc 0 9\nv1 s 0 sin(0 0.3 1k)\nc1 s b 1u\nr1 vcc b 470k\nr2 b 0 100k\nr3 vcc c 4.7k\nr4 e 0 470\nq1 c b e qn", ["c", "e"], 5e-6, 4e-3),
    "fet stage": ("vd vdd 0 12\nv1 s 0 sin(0 0.8 1k)\nc1 s g 10n\nr1 g 0 1meg\nr2 vdd d 4.7k\nj1 d g o jn\nr3 o 0 1k\nc2 o 0 10u", ["d", "o"], 5e-6, 4e-3),
    "switched": ("v1 a 0 pulse(0 5 20u 0.1u 0.1u 40u 100u)\nr1 a b 4.7k\nvc vcc 0 5\nr2 vcc c 1k\nq1 c b 0 qn\nc1 c 0 100p", ["c"], 2e-7, 2e-4),
    "bridge rectifier": ("v1 a b sin(0 15 50)\nrs b 0 1meg\nd1 a p dd\nd2 b p dd\nd3 n a dd\nd4 n b dd\nrg n 0 0.1\nc1 p 0 470u\nr1 p 0 330", ["p"], 1e-4, 0.08),
    "doubler": ("v1 a 0 sin(0 10 50)\nc1 a m 100u\nd1 0 m dd\nd2 m o dd\nc2 o 0 100u\nr1 o 0 4.7k", ["o"], 1e-4, 0.1),
    "class B output": ("vp p 0 12\nvn n 0 -12\nv1 s 0 sin(0 6 1k)\nr1 p a 2.2k\nd1 a s dd\nd2 s b dd\nr2 b n 2.2k\nq1 p a e qn\nr3 e o 0.47\nr4 o f 0.47\nq2 n b f qp\nrl o 0 33", ["o"], 5e-6, 4e-3),
    "fuzz of two": ("vc c 0 9\nv1 s 0 sin(0 0.1 440)\nc1 s b 2.2u\nr1 c k 33k\nq1 k b 0 qn\nr2 c d 8.2k\nq2 d k e qn\nr3 e 0 1k\nr4 e b 100k\nc2 d o 10n\nr5 o 0 470k", ["o"], 1e-5, 8e-3),
    "long-tailed pair": ("vp p 0 12\nvn n 0 -12\nv1 s 0 sin(0 80m 1k)\nq1 c1 s e qn\nq2 c2 0 e qn\nr1 p c1 10k\nr2 p c2 10k\nq3 e b f qn\nr3 f n 1k\nr4 0 b 10k\nd1 b g dd\nr5 g n 1k", ["c1", "c2"], 5e-6, 3e-3),
    "amplifier in a loop": ("vp p 0 15\nvn n 0 -15\n.include opamp.lib\nv1 s 0 sin(0 0.2 1k)\nr1 s m 1k\nr2 m o 22k\nc1 m o 100p\nx1 0 m p n o tl072\nrl o 0 10k", ["o"], 5e-6, 4e-3),
    "amplifier that clips": ("vp p 0 9\nvn n 0 -9\n.include opamp.lib\nv1 s 0 sin(0 0.5 500)\nc1 s a 1u\nr3 a 0 100k\nr1 m 0 1k\nr2 m o 47k\nd1 m o dd\nd2 o m dd\nx1 a m p n o tl072\nrl o 0 10k", ["o"], 5e-6, 6e-3),
    "sharp low pass": ("vp p 0 15\nvn n 0 -15\n.include opamp.lib\nv1 s 0 pulse(-1 1 0.1m 10u 10u 0.9m 2m)\nr1 s a 10k\nr2 a b 10k\nc1 a o 22n\nc2 b 0 10n\nx1 b o p n o tl072", ["o"], 1e-5, 6e-3),
    "precision rectifier": ("vp p 0 15\nvn n 0 -15\n.include opamp.lib\nv1 s 0 sin(0 2 300)\nr1 s m 10k\nr2 m q 10k\nd1 x q dd\nd2 m x dd\nx1 0 m p n x tl072\nr3 q 0 100k", ["q"], 1e-5, 8e-3),
    "envelope follower": ("v1 s 0 am(2 0.6 40 1k)\nd1 s e dd\nr1 e 0 22k\nc1 e 0 470n\nr2 e f 10k\nc2 f 0 100n", ["f"], 2e-5, 5e-2),
    "ring modulator": ("v1 g 0 sin(0 1 1k)\nr0 g a 10\nv2 c 0 sin(0 2 7k)\nl1 a 0 100m\nl2 m p 100m\nl3 n m 100m\nk1 l1 l2 0.99\nk2 l1 l3 0.99\nk3 l2 l3 0.98\nd1 p q dd\nd2 q n dd\nd3 n t dd\nd4 t p dd\nr1 q u 600\nr2 u t 600\nr3 m 0 50\nr4 c u 100", ["q"], 2e-6, 1e-3),
    "bridged tee struck": ("vp p 0 15\nvn n 0 -15\n.include opamp.lib\nv1 s 0 pulse(0 5 1m 10u 10u 1m 1)\nd1 s t dd\nr1 t a 47k\nr2 a 0 1.5k\nc1 m a 15n\nc2 a o 15n\nr3 m o 1meg\nx1 0 m p n o tl072", ["o"], 2e-5, 3e-2),
    "valve stage": (".include valves.lib\nvb b 0 300\nv1 s 0 sin(0 2 1k)\nc1 s g 22n\nrg g 0 1meg\nrl b a 100k\nrk k 0 1.5k\nck k 0 25u\nx1 a g k ecc83\nc2 a o 22n\nro o 0 470k", ["o"], 5e-6, 5e-3),
    "chopper": ("vc c 0 9\nv1 s 0 pulse(0 9 0 50n 50n 5u 10u)\nr1 s g 100\nm1 d g 0 0 nm w=5000u l=5u\nl1 c d 220u\nd1 d o dd\nc1 o 0 10u\nrl o 0 470", ["o"], 1e-7, 3e-4),
}  # fmt: skip
# What goes by itself: body, node, step, stop. Two simulators may be out of step; how far it swings, and how often, is what is compared.
OSCILLATORS = {
    "two transistors": ("vc c 0 9\nr1 c k1 1k\nr2 c b2 47k\nr3 c b1 47k\nr4 c k2 1k\nc1 k1 b2 10n\nc2 k2 b1 10n\nq1 k1 b1 0 qn\nq2 k2 b2 0 qn\n.ic v(k1)=0 v(k2)=9", "k2", 2e-6, 5e-3),
    "relaxation": ("vp p 0 12\nvn n 0 -12\n.include opamp.lib\nx1 a m p n o tl072\nr1 o a 10k\nr2 a 0 10k\nr3 o m 47k\nc1 m 0 10n\n.ic v(m)=0 v(o)=10", "o", 5e-6, 1e-2),
    "phase shift": ("vc c 0 12\nr1 c b 220k\nr2 b 0 33k\nr3 c k 4.7k\nr4 e 0 470\nc4 e 0 47u\nq1 k b e qn\nc1 k x 10n\nr5 x 0 6.8k\nc2 x y 10n\nr6 y 0 6.8k\nc3 y b 10n\n.ic v(k)=3", "k", 1e-5, 3e-2),
    "wien bridge": ("vp p 0 12\nvn n 0 -12\n.include opamp.lib\nx1 a m p n o tl072\nr1 o q 10k\nc1 q a 10n\nr2 a 0 10k\nc2 a 0 10n\nr3 m 0 10k\nr4 m t 18k\nr5 t o 4.7k\nd1 t o dd\nd2 o t dd\n.ic v(a)=0.5", "o", 1e-5, 2e-2),
}  # fmt: skip
# Library subcircuits: body with {x} put in at each point, swept from end to end; the node whose noise is compared.
LIBRARY = {
    "pot_lin": (".include pot.lib\nv1 a 0 dc 1 ac 1\nx1 0 w a pot_lin r=10k pos={x}\nr1 w 0 47k", (0, 0.3, 1), "w"),
    "pot_audio": (".include pot.lib\nv1 a 0 dc 1 ac 1\nx1 0 w a pot_audio r=10k pos={x}\nr1 w 0 47k", (0, 0.3, 1), "w"),
    "pot_reverse": (".include pot.lib\nv1 a 0 dc 1 ac 1\nx1 0 w a pot_reverse r=10k pos={x}\nr1 w 0 47k", (0, 0.3, 1), "w"),
    "ecc83": (".include valves.lib\nvb b 0 300\nv1 s 0 dc {x} ac 1\nrs s g 100k\nrl b a 100k\nrk k 0 1.5k\nx1 a g k ecc83", (-8, -3, 0, 2, 12), "a"),
    "el84": (".include valves.lib\nvb b 0 300\nv1 s 0 dc {x} ac 1\nrs s g 47k\nrl b a 2k\nrg b s2 1k\nrk k 0 130\nx1 a s2 g k el84", (-20, -5, 0, 6, 20), "a"),
    "opamp": (".include opamp.lib\nvp p 0 15\nvn n 0 -15\nv1 a 0 dc {x} ac 1\nr1 a m 10k\nr2 m o 100k\nx1 0 m p n o opamp vos=1m\nrl o 0 2k", (-3, -1, 0, 1.2, 3), "o"),
    "ne5532": (".include opamp.lib\nvp p 0 15\nvn n 0 -15\nv1 a 0 dc {x} ac 1\nr1 a m 10k\nr2 m o 100k\nx1 0 m p n o ne5532\nrl o 0 2k", (-3, -1, 0, 0.3, 3), "o"),
    "tl072": (".include opamp.lib\nvp p 0 9\nvn n 0 0\nvb b 0 4.5\nv1 a 0 dc {x} ac 1\nx1 a o p n o tl072\nrl o b 10k", (0.5, 2, 4.5, 7, 8.8), "o"),
    "regulator": (".include regulators.lib\nv1 a 0 dc {x} ac 1\nx1 a 0 o regulator v=9\nrl o 0 100", (0, 1, 8, 11, 12, 25), "o"),
    "regulator, shorted": (".include regulators.lib\nv1 a 0 dc {x} ac 1\nx1 a 0 o regulator v=9 ilim=0.2\nrl o 0 1", (15,), "o"),
    "regulator_neg": (".include regulators.lib\nv1 a 0 dc {x} ac 1\nx1 a 0 o regulator_neg v=9\nrl o 0 100", (0, -1, -8, -11, -12, -25), "o"),
    "regulator_adj": (".include regulators.lib\nv1 a 0 dc {x} ac 1\nx1 a j o regulator_adj\nr1 o j 240\nr2 j 0 1.5k\nrl o 0 100", (0, 1, 8, 11, 25), "o"),
    "regulator_adj_neg": (".include regulators.lib\nv1 a 0 dc {x} ac 1\nx1 a j o regulator_adj_neg\nr1 o j 240\nr2 j 0 1.5k\nrl o 0 100", (0, -1, -8, -25), "o"),
    "optoresistor": (".include transducers.lib\nv1 a 0 dc {x} ac 1\nr1 a b 1k\nx1 b 0 o p optoresistor\nvb q 0 1\nrq q o 1k\nrp p 0 1", (0, 1, 2, 9), "o"),
    "capsule": (".include transducers.lib\nv1 s 0 dc {x} ac 1\nx1 p 0 s capsule\nr1 p 0 1g", (0,), "p"),
    "driver": (".include transducers.lib\nv1 a 0 dc {x} ac 2.83\nr0 a b 0.1\nx1 b 0 s driver", (0, 1), "b"),
    "driver_closed": (".include transducers.lib\nv1 a 0 dc {x} ac 2.83\nr0 a b 0.1\nx1 b 0 s driver_closed", (0, 1), "b"),
    "driver_vented": (".include transducers.lib\nv1 a 0 dc {x} ac 2.83\nr0 a b 0.1\nx1 b 0 s driver_vented", (0, 1), "b"),
    "driver_passive": (".include transducers.lib\nv1 a 0 dc {x} ac 2.83\nr0 a b 0.1\nx1 b 0 s driver_passive", (0, 1), "b"),
    "transformer": (".include passive.lib\nv1 a 0 dc {x} ac 1\nx1 a 0 s 0 transformer n=8\nrl s 0 47k", (0, 0.5), "s"),
    "pickup": (".include passive.lib\nv1 a 0 dc {x} ac 1\nr1 a t 1meg\nx1 t 0 pickup", (0, 0.5), "t"),
    "2n3904": (".include transistors.lib\nvb b 0 9\nv1 s 0 dc {x} ac 1\nrs s g 100k\nrc b c 4.7k\nre e 0 470\nq1 c g e 2n3904", (0, 1, 2, 6), "c"),
    "ac128": (".include transistors.lib\nvb b 0 -9\nv1 s 0 dc {x} ac 1\nrs s g 100k\nrc b c 1k\nq1 c g 0 ac128", (0, -1, -4), "c"),
    "j201": (".include fets.lib\nvb b 0 9\nv1 g 0 dc {x} ac 1\nrd b d 6.8k\nrs s 0 1k\nj1 d g s j201", (-1, -0.2, 0, 0.3), "d"),
    "irf510": (".include fets.lib\nvb b 0 12\nv1 g 0 dc {x} ac 1\nrd b d 10\nm1 d g 0 0 irf510", (0, 3, 4, 8), "d"),
    "1n4733a": (".include zeners.lib\nv1 s 0 dc {x} ac 1\nrs s k 100\nd1 0 k 1n4733a", (-2, 0, 4, 9, 12), "k"),
    "1n34a": (".include diodes.lib\nv1 s 0 dc {x} ac 1\nrs s k 1k\nd1 k 0 1n34a", (-5, 0, 1, 9), "k"),
    "tl071": (".include opamp.lib\n.include amplifiers.lib\nvp p 0 15\nvn n 0 -15\nv1 a 0 dc {x} ac 1\nr1 a m 10k\nr2 m o 100k\nx1 0 m p n o tl071\nrl o 0 2k", (-3, 0, 1), "o"),
    "lm317": (".include regulators.lib\n.include fixed.lib\nv1 a 0 dc {x} ac 1\nx1 a j o lm317\nr1 o j 240\nr2 j 0 1.5k\nrl o 0 100", (0, 8, 25), "o"),
    "ecc82": (".include valves.lib\n.include tubes.lib\nvb b 0 250\nv1 s 0 dc {x} ac 1\nrs s g 100k\nrl b a 47k\nrk k 0 1.5k\nx1 a g k ecc82", (-12, 0, 5), "a"),
    "el34": (".include valves.lib\n.include tubes.lib\nvb b 0 300\nv1 s 0 dc {x} ac 1\nrs s g 47k\nrl b a 1k\nrg b s2 1k\nrk k 0 150\nx1 a s2 g k el34", (-20, 0, 10), "a"),
    "gz34": (".include tubes.lib\nv1 s 0 dc {x} ac 1\nrs s a 100\nx1 a k gz34\nrl k 0 1k", (-50, 20, 200), "k"),
    "lm386": (".include chips.lib\nvs vs 0 9\nv1 i 0 dc {x} ac 1\nx1 1 0 i 0 o vs 7 8 lm386\nrl o 0 8", (0, 0.05, -0.1), "o"),
    "lm13700": (".include chips.lib\nvp p 0 12\nvn n 0 -12\nvb b 0 12\nrb b i 22k\nv1 a 0 dc {x} ac 1\nx1 a 0 i p n o lm13700\nrl o 0 10k", (-0.1, 0, 0.02), "o"),
    "lm393": (".include chips.lib\nvp p 0 5\nv1 a 0 dc {x} ac 1\nvr r 0 1\nx1 a r p 0 o lm393\nrl p o 10k", (0.5, 1, 2), "o"),
    "cd4069ub": (".include chips.lib\nvd d 0 9\nv1 i 0 dc {x} ac 1\nrs i a 100k\nrf a o 1meg\nx1 a o d 0 cd4069ub", (0, 4, 9), "o"),
    "cd4066": (".include chips.lib\nvd d 0 9\nvc c 0 9\nv1 a 0 dc {x} ac 1\nx1 a b c d 0 cd4066\nrl b 0 10k", (0, 4, 9), "b"),
    "tl431": (".include chips.lib\nv1 s 0 dc {x} ac 1\nrs s k 1k\nr1 k r 10k\nr2 r 0 10k\nx1 r 0 k tl431", (0, 4, 12), "k"),
    "switch": (".include passive.lib\nv1 a 0 dc {x} ac 1\nx1 a b switch on=1\nx2 b c switch on=0\nrl b 0 1k\nrm c 0 1k", (1,), "c"),
    "jack": (".include passive.lib\nv1 a 0 dc {x} ac 1\nrs a t 1k\nx1 t 0 b jack plug=0\nrl b 0 1k", (1,), "b"),
}  # fmt: skip
# Kits: source, node listened at, what the source does over time, step, stop.
KITS = {
    "gorsefire": ("vin", "out", "sin(0 30m 440)", 1e-5, 8e-3),
    "tidewheel": ("vin", "saw", None, 2e-6, 8e-3),
    "reedling": ("vin", "out", "sin(0 50 1k)", 1e-5, 4e-3),
    "millrace": ("vin", "out", "sin(0 10m 1k)", 1e-5, 4e-3),
    "kilnlight": ("vinl", "spl8", "sin(0 0.5 1k)", 1e-5, 4e-3),
    "lampwick": ("vinl", "out", "sin(0 0.6 1k)", 1e-5, 4e-3),
    "tollgate": ("vinl", "outl", "sin(0 1m 1k)", 1e-5, 4e-3),
    "sluice": ("vin", "out", "sin(0 0.1 1k)", 1e-5, 4e-3),
    "landing": ("vin", "amp", "sin(0 4 1k)", 1e-5, 4e-3),
    "barrowmoor": ("vamp", "out", "sin(0 10 200)", 2e-5, 2e-2),
    "oxbow": ("vamp", "out", "sin(0 10 200)", 2e-5, 2e-2),
}


def kit_file(name: str, setup: str = "signal") -> Path:
    """A kit's netlist with what stands round it."""
    return SHIPPED / name / f"{setup}.cir"


def kit_text(name: str, setup: str = "signal") -> str:
    """The same, the unit written out where it is included."""
    unit = (SHIPPED / name / "circuit.cir").read_text()
    return kit_file(name, setup).read_text().replace(".include circuit.cir", unit.replace(".end\n", ""))
