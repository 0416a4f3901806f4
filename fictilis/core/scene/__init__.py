"""A scene as a value, and the values in it."""
