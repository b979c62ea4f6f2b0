"""./nibble benchmark [NAME…]: tracing, contours, files, refusals; all without names."""

import sys

from benchmarks import contours, files, refusals, tracing

BENCHMARKS = {"tracing": tracing.run, "contours": contours.run, "files": files.run, "refusals": refusals.run}

if __name__ == "__main__":
    unknown = [name for name in sys.argv[1:] if name not in BENCHMARKS]
    if unknown:
        sys.exit(f"There is no benchmark “{unknown[0]}”; there are {', '.join(BENCHMARKS)}.")
    for name in sys.argv[1:] or BENCHMARKS:
        BENCHMARKS[name]()
        print()
