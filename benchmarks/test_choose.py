"""5,000 combinations of a pedal-sized circuit screened, the best 20 judged by yield: wanted within two seconds."""

from __future__ import annotations

import time

from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.schema import Aim, Move
from nuvlo.model.ensemble import laws
from nuvlo.stages.choose.search import Question, candidates, search
from nuvlo.workshop.demo import SHIPPED

MOVES = (Move(element="r3", low="3k9", high="2M2"), Move(element="r5", low="10k", high="5M6"))
AIMS = (
    Aim(name="gain", kind="gain", source="vin", node="out", want="42", within="1.5"),
    Aim(name="corner", kind="corner_low", source="vin", node="out", at_most="40"),
    Aim(name="half", kind="share", node="c2", of="vcc", want="0.55", within="0.1"),
)


def test_a_search_on_gorsefire(benchmark, capsys):
    kit = read_kit(SHIPPED / "gorsefire")
    others = {name: law for name, law in laws(kit).items() if name not in ("r3", "r5")}
    question = Question(kit.setup("signal"), MOVES, AIMS, others, {}, {})
    tried = 1
    for move in MOVES:
        tried *= len(candidates(move, question.printed(move.element), {}))
    found = benchmark.pedantic(lambda: search(question), rounds=3, warmup_rounds=1)
    start = time.perf_counter()
    search(question)
    spent = time.perf_counter() - start
    assert found[0].good > 0
    with capsys.disabled():
        print(f"\n  {tried} combinations of Gorsefire (all of up to 5,000), best 20 by yield: {spent:.2f} s (goal: 2)")
