#!/usr/bin/env bash
# The random input of the soak: each seed in a process of its own, two at a time, so that one that fails takes no other along.
first=${FICTILIS_SOAK:-1}
count=${FICTILIS_SOAK_SEEDS:-20}
one() {
  if said=$(FICTILIS_SOAK=$1 FICTILIS_SOAK_SEEDS=1 FICTILIS_VIRTUAL=1 scripts/on_screen.sh \
    .venv/bin/python -m pytest -q -p no:randomly -p no:cacheprovider -m soak --timeout 3600 tests/app/test_monkey.py 2>&1); then
    echo "seed $1 passed"
  else
    printf 'seed %s failed\n%s\n' "$1" "$said"
    return 1
  fi
}
export -f one
seq "$first" $((first + count - 1)) | xargs -P 2 -I{} bash -c 'one {}'
