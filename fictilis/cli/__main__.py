"""``python -m fictilis.cli``."""

import sys

from fictilis.cli import main

if __name__ == "__main__":
    sys.exit(main())
