"""``python -m kotrel``."""

import sys

from kotrel.cli import main

sys.exit(main())
