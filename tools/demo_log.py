"""Write down the demo's scenes as they are carried out, so that its first start need not solve them. Usage: demo_log.py FILE"""

import json
import sys
import tempfile
from pathlib import Path

from nuvlo.workshop.demo import carried_out

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        scenes = carried_out(Path(folder) / "demo")
    Path(sys.argv[1]).write_text(json.dumps(scenes, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
