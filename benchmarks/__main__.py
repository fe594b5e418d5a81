"""`python -m benchmarks [NAME...]`: all figures as one table. NAMEs:
coverage blur reach sequence edges sizes varying truth tufts softness shutter following keys pull fitting exr again workers movies kills
killing faults opening desk load memory scale tryouts export bend hints hard check recheck taught."""

import sys

from benchmarks import (
    bending,
    checking,
    core,
    desk,
    exposure,
    faults,
    fitting,
    hard,
    hinting,
    killing,
    kills,
    load,
    opening,
    packages,
    rechecking,
    scale,
    teaching,
    tracks,
    truth,
    tryouts,
)

ALL = {
    "coverage": core.coverage_accuracy,
    "blur": core.blurred_matte,
    "reach": core.reach,
    "sequence": core.sequence,
    "edges": exposure.blurred_edges,
    "sizes": exposure.sizes,
    "varying": core.varying_reach,
    "truth": truth.against_truth,
    "tufts": truth.tufts,
    "softness": truth.softness,
    "shutter": truth.shutter,
    "following": tracks.following,
    "keys": tracks.keys,
    "pull": tracks.pull,
    "fitting": fitting.fitting,
    "exr": packages.writing_alone,
    "again": packages.again_and_proof,
    "workers": packages.two_workers,
    "movies": packages.movies,
    "kills": kills.hundred,
    "killing": killing.edits,
    "faults": faults.faults,
    "opening": opening.opening,
    "desk": desk.edit_to_picture,
    "load": load.load,
    "memory": load.at_rest,
    "scale": scale.scale,
    "tryouts": tryouts.four_lines,
    "export": tryouts.export,
    "bend": bending.bend,
    "hints": hinting.hints,
    "hard": hard.hard,
    "check": checking.check,
    "recheck": rechecking.rechecking,
    "taught": teaching.taught,
}


def main(names: list[str]) -> None:
    for name in names or list(ALL):
        for what, got, wanted in ALL[name]():
            print(f"| {what} | {got} | {wanted} |", flush=True)


if __name__ == "__main__":
    print("| figure | measured | wanted |\n|---|---|---|")
    main(sys.argv[1:])
