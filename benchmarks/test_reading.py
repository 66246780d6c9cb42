"""How the time to read a netlist grows with it."""

from time import process_time

from nuvlo.circuit.circuit import Circuit


def test_points_of_a_source_are_read_in_time_that_grows_with_them():
    def seconds(count: int) -> float:
        text = "t\nv1 a 0 pwl(" + "\n+ ".join(f"{k}u {k % 7}" for k in range(count)) + ")\nr1 a 0 1k\n"
        began = process_time()
        Circuit.from_text(text)
        return process_time() - began

    seconds(100)
    assert seconds(16_000) < 10 * seconds(4_000), "four times as many: sixteen times as long where each looks at all lines"
