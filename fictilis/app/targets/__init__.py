"""The column of targets."""
