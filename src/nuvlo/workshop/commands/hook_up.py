"""Commands of Hook up that write: templates, a mock-up, labels."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from pathlib import Path

from nuvlo.electrics.power import Rail, rails
from nuvlo.workshop import papers
from nuvlo.workshop.commands.arguments import Nothing
from nuvlo.workshop.commands.outcome import Reply, Work
from nuvlo.workshop.session import Session


def template(s: Session, given: Nothing) -> Reply:
    return _written(papers.write_template(s), " Measure the 50 mm rule before you drill.")


def mock_up(s: Session, given: Nothing) -> Reply:
    return _written([papers.write_mock_up(s)], " Glue it on cardboard, cut, and try every part for room.")


def labels(s: Session, given: Nothing) -> Work:
    """The currents on the labels are solved first."""
    kit, build = s.kit, s.build

    def solved() -> list[Rail]:
        return rails(kit, build=build) if kit.unit is not None else []

    return Work("Working out the labels", solved, lambda found: _written([papers.write_labels(s, found, date.today())], ""))


def _written(paths: Sequence[Path], then: str) -> Reply:
    return Reply(f"Written: {', '.join(p.name for p in paths)} in {paths[0].parent.name}/.{then}")
