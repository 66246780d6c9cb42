"""What is worked out and cannot be kept is said, and not worked out for ever."""

import sqlite3

import pytest

from nuvlo.logbook.errors import LogbookError
from nuvlo.problems import Problem
from nuvlo.workshop import answers
from nuvlo.workshop.session import Session

REFUSALS = [
    OSError(28, "No space left on device"), LogbookError(Problem("the log is locked.", "Close the other window.")),
    sqlite3.OperationalError("database is locked"), PermissionError(13, "Permission denied"),
]  # fmt: skip


@pytest.mark.parametrize("refusal", REFUSALS, ids=lambda r: type(r).__name__)
@pytest.mark.parametrize("stage", ["wake", "set"])
def test_an_answer_that_cannot_be_kept_is_said_once(drive, monkeypatch, refusal, stage):
    driver = drive()
    solved = []
    solve = answers.solve

    def counted(*asked):
        solved.append(asked)
        return solve(*asked)

    def refused(self, answer):
        raise refusal

    monkeypatch.setattr(answers, "solve", counted)
    monkeypatch.setattr(Session, "adopt", refused)
    said = []
    driver.window.controller.replied.connect(lambda words, good: said.append((words, good)))
    driver.type(f"stage {stage}")
    driver.type("note still here")
    assert len(solved) <= 2, "once, and once more when something changed"
    assert any("cannot be kept" in words and not good for words, good in said)
