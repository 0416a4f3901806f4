#!/usr/bin/env bash
# Runs a command on the screen there is, or on a virtual one.
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ] && [ -z "${FICTILIS_VIRTUAL:-}" ]; then
  exec "$@"
fi
# without -noreset it begins anew whenever its last window is closed
exec xvfb-run -a -s "-screen 0 1600x1200x24 -noreset" "$@"
