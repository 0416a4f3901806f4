"""A rig at a moment: where its joints are."""
