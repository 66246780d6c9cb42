"""No test writes into the folders of whoever runs it."""

import atexit
import os
import shutil
import tempfile

_home = tempfile.mkdtemp(prefix="nuvlo-tests-")
for _kind in ("STATE", "CONFIG", "DATA", "CACHE"):
    os.environ[f"XDG_{_kind}_HOME"] = f"{_home}/{_kind.lower()}"
atexit.register(shutil.rmtree, _home, ignore_errors=True)
