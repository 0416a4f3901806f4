"""An object at a frame: its mix, and all that comes after it, stage by stage."""
