"""Write the manual pages that are made from tables. Usage: manual_pages.py DOCS"""

import sys
from pathlib import Path

from nuvlo.cli.manual import verbs_page
from nuvlo.workshop.commands.manual import manual_page

if __name__ == "__main__":
    (Path(sys.argv[1]) / "command-line.md").write_text(verbs_page(), encoding="utf-8")
    (Path(sys.argv[1]) / "bench-line.md").write_text(manual_page(), encoding="utf-8")
