#!/usr/bin/env bash
# Starts the Moon jelly. Without a display the same window runs on a virtual one, plays, and leaves a screenshot and a movie.
cd "$(dirname "$0")/.."
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
  exec .venv/bin/fictilis demo
fi
echo "There is no display: the Moon jelly plays in a window on a virtual one."
exec scripts/on_screen.sh .venv/bin/fictilis demo --leave demo-output
