import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

from benchmarks import cues, curves, exchange, lines, mix, pictures, repeats, rigs, shaping, window
from fictilis.core.ground.memory import keep_freed

keep_freed()  # as in the application

print(f"{'what':<62}{'ratio':>8}  {'goal':>8}  {'met':>4}")
for part in (mix, curves, lines, repeats, window, shaping, exchange, pictures, rigs, cues):
    for row in part.rows():
        print(row.text(), flush=True)
