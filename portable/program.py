"""The portable program is the command itself."""

import sys

from tallcheck.cli import main

sys.exit(main())
