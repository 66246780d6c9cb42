"""Benchmarks print ratios measured in one run on one machine; they assert nothing about time."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
