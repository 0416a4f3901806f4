"""What is suspicious in a scene, with a sentence, a place and, where there is one, a remedy."""

from fictilis.core.checks.checks import CHECKS, Finding, run_checks

__all__ = ["CHECKS", "Finding", "run_checks"]
