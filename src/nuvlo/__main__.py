"""``python -m nuvlo`` is the same as the ``nuvlo`` command."""

import sys

from nuvlo.cli.main import main

sys.exit(main())
