import sys

from fictilis.cli import main

sys.exit(main())
