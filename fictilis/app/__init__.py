"""The window. Python's own collector is off from here on: MainThreadGarbage collects in the interface thread, and while modules
load there is nothing to collect."""

import gc

gc.disable()
