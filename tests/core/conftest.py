"""Fixtures that several modules use."""

from tests.operated import everything  # noqa: F401
from tests.ponds import pond  # noqa: F401
