"""The view of the objects, and the shaping session in it."""
