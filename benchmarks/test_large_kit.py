"""Reading and checking a kit, and drawing up its order of work: near linear in its parts, 2,000 in 2 s."""

import time

from nuvlo.craft.order import board_order
from nuvlo.files.kit_folder import check_kit, read_kit
from tests.files.large_kit import write_large_kit


def test_a_large_kit(benchmark, tmp_path, capsys):
    took = {}
    for parts in (500, 1000, 2000):
        folder = write_large_kit(tmp_path / f"k{parts}", parts)
        began = time.perf_counter()
        _, problems = check_kit(folder)
        checked = time.perf_counter() - began
        assert not problems
        kit = read_kit(folder)
        began = time.perf_counter()
        board_order(kit)
        took[parts] = checked, time.perf_counter() - began
    benchmark.pedantic(lambda: check_kit(folder), rounds=3)
    with capsys.disabled():
        for parts, (checked, ordered) in took.items():
            print(f"\n{parts} parts: checked in {checked:.2f} s, order drawn up in {ordered:.2f} s", end="")
        print()
