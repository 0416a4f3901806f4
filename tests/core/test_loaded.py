"""Modules that another thread is in the middle of importing."""

import sys
import threading

from fictilis.core.ground.arrays import loaded

SLOW = """
from tests.core.test_loaded import begun, go_on
begun.set()
go_on.wait(10)
late = 7
"""
begun, go_on = threading.Event(), threading.Event()


def test_a_module_counts_as_loaded_only_once_it_is_whole(tmp_path, monkeypatch):
    (tmp_path / "slow_to_load.py").write_text(SLOW)
    monkeypatch.syspath_prepend(tmp_path)
    assert loaded("slow_to_load") is None
    other = threading.Thread(target=__import__, args=("slow_to_load",))
    other.start()
    assert begun.wait(10) and "slow_to_load" in sys.modules and loaded("slow_to_load") is None
    go_on.set()
    other.join(10)
    assert loaded("slow_to_load").late == 7
    del sys.modules["slow_to_load"]
