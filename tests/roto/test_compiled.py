"""Compiled functions: what several processes need at once is compiled by one of them."""

import subprocess
import sys
import textwrap
from pathlib import Path

from numba.core.dispatcher import Dispatcher

ONE = """
from roto.jit import kernel

@kernel
def long_sum(values):
    total = 0.0
    for k in range(len(values)):
        total += values[k] * {times}
    return total
"""


def test_of_two_processes_one_compiles_and_the_other_reads_it(tmp_path):
    """Each says how many it compiled itself."""
    (tmp_path / "made_of.py").write_text(textwrap.dedent(ONE.format(times=tmp_path.stat().st_ino)))  # a function that nobody has compiled
    says = "import numpy, made_of; made_of.long_sum(numpy.ones(3)); print(sum(made_of.long_sum.stats.cache_misses.values()))"
    command = [sys.executable, "-c", f"import sys; sys.path[:0] = [{str(tmp_path)!r}, {str(Path.cwd())!r}]; {says}"]
    both = [subprocess.Popen(command, stdout=subprocess.PIPE, text=True) for _ in range(2)]
    assert sorted(one.communicate(timeout=120)[0].strip() for one in both) == ["0", "1"]


def test_what_is_compiled_beforehand_is_what_artists_wait_for():
    from roto import warming
    from roto.check import fields
    from roto.matte.render import scanline
    from roto.track import align, looking, sheet

    warming._rows()
    warming._all_else()
    called = [align._normal, looking.looked_up, sheet._bent, fields.apart]
    assert all(isinstance(one, Dispatcher) and one.signatures for one in called)
    assert len(scanline._render.signatures) == 1, "of more kinds it would be compiled as often, minutes each"
