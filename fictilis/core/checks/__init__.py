"""What is suspicious in a scene, with a sentence, a place and, where there is one, a remedy."""

from fictilis.core.checks.checks import CHECKS, run_checks
from fictilis.core.checks.finding import Finding

__all__ = ["CHECKS", "Finding", "run_checks"]
