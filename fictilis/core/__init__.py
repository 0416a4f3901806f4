"""The job itself, in NumPy and SciPy: no Qt, no OpenGL, no files, no clock."""
