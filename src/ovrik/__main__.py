"""`python -m ovrik` is the command `ovrik`."""

import sys

from ovrik.cli import main

sys.exit(main())
