"""What a helper runs (:mod:`nuvlo.diagnosis.helper`): it tries what it is sent, and sends back what every reading would be."""

from __future__ import annotations

import gc
import pickle
import sys
from pathlib import Path
from typing import BinaryIO

from nuvlo.diagnosis.helper import Job
from nuvlo.diagnosis.trials import Trials
from nuvlo.files.kit_folder import read_kit
from nuvlo.kit.variant import change, varied


def help_out(into: BinaryIO, out: BinaryIO) -> None:
    """Do what is asked until nothing more comes."""
    gc.disable()  # it soon ends
    job: Job = pickle.load(into)
    kit = read_kit(Path(job.folder))
    if job.changes:
        kit = varied(kit, [change(kit, c.part, c.to, c.why) for c in job.changes])
    trials = Trials(kit, job.mistakes, job.readings, job.laws, job.base, job.draws)
    while True:
        try:
            work = pickle.load(into)
        except EOFError:
            return
        pickle.dump(trials.tried(work), out)
        out.flush()


if __name__ == "__main__":
    help_out(sys.stdin.buffer, sys.stdout.buffer)
