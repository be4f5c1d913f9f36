"""Entry point of `./fleet`, in the project's own environment."""

import sys

from fleet_rival.cli.main import main

sys.exit(main(sys.argv[1:]))
