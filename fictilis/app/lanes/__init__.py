"""Time: lanes, transport, playback, sound and markers."""
