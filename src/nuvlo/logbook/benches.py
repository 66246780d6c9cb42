"""On what a build is made: a real one with typed readings, or one for practice, whose unit is not there."""

TYPED, SIMULATED, PRACTICE = "typed", "simulated", "practice"  # PRACTICE: built, with a mistake hidden in its unit
RECORDED = "recorded"  # a real unit, whose readings are on file


def hidden_in(bench: str) -> bool:
    """Whether the unit is built, and a mistake in it is to be found."""
    return bench.partition(":")[0] == PRACTICE


def for_practice(bench: str) -> bool:
    """Whether nobody holds the unit in their hands."""
    return bench.partition(":")[0] in (SIMULATED, PRACTICE)


def numbered(serial: str, bench: str) -> str:
    """The number of a unit as people read it: ``003``, and ``003, practice`` of one for practice."""
    return f"{serial}, practice" if for_practice(bench) else serial
